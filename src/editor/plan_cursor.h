// Where the cursor stands in a plan that is being written: table, key, what is typed of a value.
// Not for use outside this folder.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "files/toml_scan.h"

namespace greymet::editor::internal {

struct PlanCursor {
  std::string path;  // of the table, as in files/plan_keys.h
  std::vector<std::string> names;
  std::string key;  // whose value it is; empty: a key is being written
  bool in_value = false;
  bool in_list = false;  // of several values of the key
  bool in_quotes = false;
  bool has_equals = false;                  // behind a key there is a '='
  bool begins_line = false;                 // nothing but blanks in front of it, outside of lists
  files::Span typed;                        // the word around the cursor, without quotes
  std::map<std::string, std::string> keys;  // of the same table, with the words of their values
  std::map<std::string, std::string> row;   // of the table around it, where that is a row
};

// Nothing in a comment or a header. Lines that are no TOML, yet, end with the line.
[[nodiscard]] std::optional<PlanCursor> plan_cursor(std::string_view text, std::size_t byte);

}  // namespace greymet::editor::internal
