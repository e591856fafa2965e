#include "files/value_tree.h"

namespace greymet::files {

const Value* Value::find(std::string_view key) const {
  for (const Entry& entry : entries) {
    if (entry.key == key) return &entry.value;
  }
  return nullptr;
}

Value& Value::table_at(std::string_view key, model::Range at) {
  for (Entry& entry : entries) {
    if (entry.key == key) return entry.value;
  }
  Value table;
  table.place = at;
  entries.push_back({std::string(key), at, std::move(table)});
  return entries.back().value;
}

std::string_view describe(ValueKind kind) {
  switch (kind) {
    case ValueKind::text: return "a text";
    case ValueKind::integer: return "a whole number";
    case ValueKind::real: return "a number with a decimal point";
    case ValueKind::boolean: return "true or false";
    case ValueKind::date: return "a date";
    case ValueKind::array: return "a list";
    case ValueKind::table: return "a table";
    case ValueKind::cell: return "a cell";
    case ValueKind::refused: return "unreadable";
  }
  return {};
}

}  // namespace greymet::files
