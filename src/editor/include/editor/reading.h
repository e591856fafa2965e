// A plan as it stands in the editor: unsaved texts over files, read and checked.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <string_view>
#include <vector>

#include "files/plan_loader.h"
#include "timing/report.h"

namespace greymet::editor {

// Unsaved texts, by their path.
using Texts = std::map<std::string, std::string>;
// Which text of an open document: editors count versions anew with each opening.
struct TextVersion {
  std::uint64_t opening = 0;  // of the whole session, each its own
  std::int64_t version = 0;
};
using Versions = std::map<std::string, TextVersion>;  // by path

// The disk, but for those texts, however a path is written ("a/../b").
[[nodiscard]] files::FileSource files_over(const files::FileSource& disk,
                                           std::shared_ptr<const Texts> texts);

// What to read. `measured`: results of `run` or `rehearse`, a file or their folder, which count in
// place of what the plan states; empty: nothing was measured.
struct ReadingTask {
  std::string path;  // the plan, or a register map that no plan names
  files::FileSource files;
  std::string measured;
  std::uint64_t number = 0;  // of the state of the documents
  Versions versions{};       // of the texts that are read over files
};

// A plan, or a register map by itself, and what is known of it. Copies share what was read.
struct Reading {
  ReadingTask task;
  bool is_plan = true;  // false: a register map by itself, which is file 0
  std::shared_ptr<const files::LoadedPlan> read;  // never null
  std::string measured_on;  // the day on which it was measured, "2026-11-29"; empty: it was not
  // Of checks:
  bool is_checked = false;
  bool is_half_checked = false;  // of findings those alone that need no timing
  model::Findings findings;
  std::shared_ptr<const timing::TimingReport> timing;  // or null
  std::vector<bool> is_tried;  // by finding: its fixes are those that keep the law of fixes

  [[nodiscard]] const files::LoadedPlan& loaded() const { return *read; }
};

// Reads; never fails: see LoadedPlan.
[[nodiscard]] Reading read_for_editor(const ReadingTask& task, files::TomlMemory* memory = nullptr);
// Plans with more transactions are read and checked while nobody waits for it.
[[nodiscard]] bool is_large(const Reading& reading);
// The rules that need no timing: soon done.
void check_first_half(Reading& reading, const std::stop_token& stop);
// Checks what was read. Where `stop` is requested the result is not whole.
void check_reading(Reading& reading, const std::stop_token& stop);
// Leaves findings those fixes that keep their law, and words that name no other (files/cures.h).
// Each takes a check: those that come first, for some seconds at most. False where none was tried.
bool try_fixes(Reading& reading, const std::stop_token& stop);

// The plan that a file belongs to: itself, or one beside or above it that names it. `open` are
// plans that are being worked on, which come first. Empty where there is none.
[[nodiscard]] std::string plan_of(const std::string& path, const std::vector<std::string>& open,
                                  const files::FileSource& files);

}  // namespace greymet::editor
