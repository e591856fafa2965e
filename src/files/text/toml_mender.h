// What goes on where the TOML parser gives up. Not for use outside this folder.
#pragma once

#include <cstdint>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "files/source_text.h"
#include "files/toml_scan.h"
#include "model/finding.h"

namespace greymet::files::internal {

[[nodiscard]] model::Finding syntax_finding(model::Range place, std::string message,
                                            std::string remedy);

// Sets aside what cannot be read, so that the rest can: a value becomes a 0 that counts as refused,
// a key written twice a name that nobody looks for. Lines and columns stay what they were.
class TomlMender {
 public:
  // What keys and tables that nobody looks for are called.
  static constexpr std::string_view foreign_name = "greymet-set-aside-";
  using Begin = std::pair<std::uint32_t, std::uint32_t>;  // line, column

  TomlMender(std::string text, std::uint32_t file, model::Findings& findings)
      : text_(std::move(text)), file_(file), findings_(findings) {}

  [[nodiscard]] const std::string& text() const { return text_; }
  [[nodiscard]] const std::set<Begin>& dropped_keys() const { return dropped_keys_; }
  [[nodiscard]] const std::set<Begin>& refused_values() const { return refused_values_; }

  // Reports an error of the parser at a spot. False if reading cannot go on.
  bool mend(std::string description, std::uint32_t line_number, std::uint32_t column);

 private:
  // The innermost value around a byte, written as TOML wants it; nothing where that is not plain.
  [[nodiscard]] std::optional<model::Fix> cure_of(const SourceText& source,
                                                  const std::vector<TomlNode>& nodes,
                                                  std::size_t at) const;

  using Way = std::vector<const TomlNode*>;  // from a statement to the innermost node

  // The nodes around a byte; the parser may stop just behind what it dislikes.
  static Way way_to(const std::vector<TomlNode>& nodes, std::size_t at);

  // An inline table around a byte that is broken over lines.
  [[nodiscard]] const TomlNode* broken_row(const std::vector<TomlNode>& nodes,
                                           std::size_t at) const;

  // The innermost list or inline table that lacks its bracket, in the statement around a byte or in
  // the one that ends before it.
  static const TomlNode* unclosed_before(const std::vector<TomlNode>& nodes, std::size_t at);
  static const TomlNode* unclosed_in(const TomlNode& node, std::size_t at);

  [[nodiscard]] std::string_view part(const Span& span) const;

  // A comma or quote without which the parser gives up at a byte: what to say, and the text with it
  // where it moves no column.
  struct Slip {
    model::Finding finding;
    std::optional<std::string> mended;
  };
  [[nodiscard]] std::optional<Slip> slip_at(const SourceText& source, std::size_t at) const;
  // One place, one finding: the first.
  void report(model::Finding finding);
  // A bracket, =, ;, : or // that is missing or out of place.
  [[nodiscard]] std::optional<Slip> wrong_mark_at(const SourceText& source,
                                                  const std::vector<TomlNode>& nodes,
                                                  std::size_t at) const;

  // A header or key that stands there for the second time.
  bool mend_twice(const SourceText& source, const std::vector<TomlNode>& nodes, std::size_t at);

  // The same key earlier in the same table.
  [[nodiscard]] bool written_before(const std::vector<TomlNode>& level, std::size_t index) const;

  void report_twice(model::Range place, std::string_view name, std::optional<model::Range> first,
                    std::string remedy);

  // A table opened twice; or blocks of a list that is written as rows as well: all of them.
  bool mend_header(const SourceText& source, const std::vector<TomlNode>& nodes,
                   const TomlNode& header);

  // The key gets a name of the same length; our keys are lower-case, so this is none of them.
  bool set_key_aside(const SourceText& source, const TomlNode& pair);

  // Replaces the innermost value around a byte; where that has been done in vain, the one around
  // it; at last the whole statement.
  bool set_aside(const SourceText& source, const std::vector<TomlNode>& nodes, std::size_t at);

  // The statement in front of the one around a byte, as a whole.
  bool set_before_aside(const std::vector<TomlNode>& nodes, std::size_t at);

  // False if that has been done before.
  bool set_value_aside(const SourceText& source, const TomlNode& node);

  // A blank for each code point; line breaks stay.
  void blank(const Span& span, char first);

  std::string text_;
  std::uint32_t file_;
  model::Findings& findings_;
  int count_ = 0;
  std::set<Begin> dropped_keys_;
  std::set<Begin> refused_values_;
  std::set<Begin> reported_;
};

}  // namespace greymet::files::internal
