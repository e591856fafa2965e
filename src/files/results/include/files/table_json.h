// Tables as JSON: one object a row, one key a column.
#pragma once

#include <nlohmann/json.hpp>

#include "tables/table.h"

namespace greymet::files {

// Which columns become keys. Those that are said once for a group belong to the group's object
// where rows are nested in one.
enum class OuterColumns : std::uint8_t { in_rows, in_groups };

// A cell as a value; nothing is null, durations are milliseconds.
[[nodiscard]] nlohmann::ordered_json json_of(const tables::Cell& cell);

// The rows [first, end) as an array of objects.
[[nodiscard]] nlohmann::ordered_json rows_json(const tables::Table& table, std::size_t first,
                                               std::size_t end,
                                               OuterColumns outer = OuterColumns::in_groups);
[[nodiscard]] nlohmann::ordered_json rows_json(const tables::Table& table);

// The rows as a document of their own, made row by row: a tree of all would take many times the
// text.
[[nodiscard]] std::string json_array(const tables::Table& table);

// Rows for the columns of `table` from a document that anybody may have changed: what is missing
// or of another kind is nothing.
void add_rows_of(const nlohmann::ordered_json& rows, tables::Table& table);

}  // namespace greymet::files
