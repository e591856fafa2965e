// A plan's TOML text as the plan format means it: tables by their path, keys and values by their
// table. Finds its way through texts that are no TOML, like the scan it stands on.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "files/toml_scan.h"

namespace greymet::editor {

// A key with its value, or one value of a list that stands at a key.
struct KeyText {
  std::string key;
  files::Span key_span;   // of the last part of a dotted key
  files::Span value;      // with quotes; empty where there is none
  std::size_t table = 0;  // into PlanText::tables()
  bool is_element = false;
  bool is_nested = false;  // a table or list, whose parts stand behind it
};

// Part of a dotted key or header.
struct NamePart {
  std::string name;
  files::Span span;  // with quotes
};

// A table: what stands below a header, or between braces.
struct TableText {
  std::string path;             // as in files/plan_keys.h; "line" where its keys are names
  std::vector<NamePart> names;  // what stands for each "*" of the path
  files::Span whole;            // of a header: up to the next one
  files::Span head;             // of a header: its brackets; else the opening brace
  bool is_header = false;
  std::vector<std::size_t> keys;  // into PlanText::keys()
};

class PlanText {
 public:
  // The text must outlive it.
  explicit PlanText(std::string_view text);

  [[nodiscard]] std::string_view text() const { return text_; }
  // In the order of the text; the first one is what stands above all headers.
  [[nodiscard]] const std::vector<TableText>& tables() const { return tables_; }
  [[nodiscard]] const std::vector<KeyText>& keys() const { return keys_; }

  // The innermost key or value around a byte, its ends included; null where there is none.
  [[nodiscard]] const KeyText* key_at(std::size_t byte) const;
  // The innermost table around a byte.
  [[nodiscard]] const TableText& table_at(std::size_t byte) const;
  // The key of that name of a table, or null.
  [[nodiscard]] const KeyText* find(const TableText& table, std::string_view key) const;
  // What a text says: without quotes, escapes as they are written.
  [[nodiscard]] std::string_view word(const files::Span& span) const;
  [[nodiscard]] std::string_view word_of(const TableText& table, std::string_view key) const;
  // The same without the quotes.
  [[nodiscard]] files::Span inner(const files::Span& span) const;

 private:
  friend class PlanTextReader;
  std::string_view text_;
  std::vector<TableText> tables_;
  std::vector<KeyText> keys_;
};

// True where the keys of such a table are names of things.
[[nodiscard]] bool has_names(std::string_view path);
// The path of what a key of a table holds: "line" and any name as "line.*".
[[nodiscard]] std::string path_below(std::string_view path, std::string_view key);

}  // namespace greymet::editor
