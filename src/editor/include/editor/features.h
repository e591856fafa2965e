// What the editor is told of a plan at a place: plain values, for whatever protocol.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include <tl/expected.hpp>

#include "editor/plan_view.h"
#include "editor/things.h"

namespace greymet::editor {

// What a key of a table means, as in files/plan_schema.h.
using KeyHelp = std::function<std::string(std::string_view path, std::string_view key)>;

// Markdown, and what it speaks about.
struct HoverText {
  std::string markdown;
  FileSpan where;
};
[[nodiscard]] std::optional<HoverText> hover_at(const PlanView& view, std::uint32_t file,
                                                std::size_t byte, const KeyHelp& help);
// Of a rule: what it is about, why, and a wrong and a right example.
[[nodiscard]] std::string rule_markdown(model::RuleCode code);
// Of a transaction: frames, durations, bound, use of its line.
[[nodiscard]] std::string transaction_markdown(const PlanView& view, std::size_t transaction);

// One entry of the outline; spans are of one file.
enum class OutlineKind : std::uint8_t { section, controller, line, gateway, slave, row, point };
struct OutlineItem {
  std::string name;
  std::string detail;
  OutlineKind kind = OutlineKind::section;
  files::Span whole;
  files::Span own;  // its name
  std::vector<OutlineItem> parts = {};
};
[[nodiscard]] std::vector<OutlineItem> outline_of(const PlanView& view, std::uint32_t file);

// A replacement of a stretch of one of the plan's files.
struct NewText {
  FileSpan where;
  std::string text;
  friend bool operator==(const NewText&, const NewText&) = default;
};

// The name that can be changed at a byte; or, in words, why there is none.
[[nodiscard]] tl::expected<Occurrence, std::string> renameable_at(const PlanView& view,
                                                                  std::uint32_t file,
                                                                  std::size_t byte);
// All that is to be written for another name, by place. It is tried: read with them, the plan says
// what it said, under the new name. Fails, in words, where it would not.
[[nodiscard]] tl::expected<std::vector<NewText>, std::string> renamed_at(const PlanView& view,
                                                                         std::uint32_t file,
                                                                         std::size_t byte,
                                                                         const std::string& name);

// A few words that stand in the text without being part of it, behind a byte.
struct InlayHint {
  std::size_t byte = 0;
  std::string text;
  std::string more;  // Markdown, for who asks
};
[[nodiscard]] std::vector<InlayHint> hints_in(const PlanView& view, std::uint32_t file,
                                              const files::Span& span);

// Rows of lists, one a line, with what is alike in columns; rows outside `span` stay as they are.
// Changes blanks alone: what the plan says stays, comments too.
[[nodiscard]] std::vector<NewText> aligned_rows(std::string_view plan, const files::Span& span);

// What may be written at a byte.
enum class ProposalKind : std::uint8_t { key, word, name, point, memory, number, snippet };
struct Proposal {
  std::string label;
  std::string detail;
  std::string about;        // Markdown
  std::string text;         // to be written
  bool is_snippet = false;  // `text` has places to fill in: ${1:name}
  ProposalKind kind = ProposalKind::word;
};
struct Proposals {
  files::Span replaced;  // of the text as it stands
  std::vector<Proposal> list;
};
// `text` is the file as it stands now, which may be newer than the reading.
[[nodiscard]] Proposals proposals_at(const PlanView& view, std::string_view text, TableKind kind,
                                     bool is_plan, std::size_t byte, const KeyHelp& help);

// A fix of a finding, or an acceptance of it.
struct QuickFix {
  std::string title;
  std::vector<NewText> changes;
  bool is_certain = false;
  std::size_t finding = 0;  // into Reading::findings
};
// For findings that touch the stretch; each fix has been tried, see files/cures.h.
[[nodiscard]] std::vector<QuickFix> quick_fixes(const PlanView& view, std::uint32_t file,
                                                const files::Span& span);
// A replacement in a file that the plan may name only once it is fixed.
struct FileChange {
  std::string path;
  std::string before;  // all of the file
  files::Span span;
  std::string text;
};
// All certain fixes together, as `check --fix` carries them out; whole lines.
[[nodiscard]] std::vector<FileChange> all_certain_fixes(const PlanView& view);

}  // namespace greymet::editor
