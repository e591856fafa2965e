// Files -> resolved plan, with everything that was found wrong on the way.
#pragma once

#include <string>
#include <vector>

#include "files/file_source.h"
#include "files/toml_memory.h"
#include "model/finding.h"
#include "model/resolved_plan.h"

namespace greymet::files {

// A file that was read, kept so that findings can show the line they speak about.
struct SourceFile {
  std::string name;
  std::string text;
  bool may_be_quoted = true;  // false for what lies outside the plan's folder
  bool is_table = false;      // CSV
  bool is_program = false;    // declarations of a program: words are replaced there, nothing else
  bool is_project = false;    // XML, of which only lines are known: never edited
  bool is_workbook = false;   // `text` is the list in it, and never edited
  std::string stored = {};    // of a workbook: its bytes

  // As the file stands on the disk.
  [[nodiscard]] const std::string& content() const { return is_workbook ? stored : text; }
};

// What came of reading a plan. `unreadable`: the plan or one of its files could not be opened or
// is not TOML; the rest has been read as far as it goes.
struct LoadedPlan {
  model::ResolvedPlan plan;
  model::Findings findings;
  std::vector<SourceFile> sources;  // parallel to Plan::files
  bool unreadable = false;
};

// Reads the plan at `path` and the files it names, relative to it. Never fails: see `findings`.
// `memory`, if not null, makes it quicker to read a plan again that has hardly changed.
[[nodiscard]] LoadedPlan load_plan(const std::string& path, const FileSource& files,
                                   TomlMemory* memory = nullptr);

}  // namespace greymet::files
