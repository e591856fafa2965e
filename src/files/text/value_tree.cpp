#include "files/value_tree.h"

#include <utility>

#include <algorithm>
#include <cmath>

namespace greymet::files {

const Value* Value::find(std::string_view key) const {
  for (const Entry& entry : entries) {
    if (entry.key == key) return &entry.value;
  }
  return nullptr;
}

Value* Value::find(std::string_view key) {
  return const_cast<Value*>(std::as_const(*this).find(key));
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

bool same_value(const Value& a, const Value& b) {
  const bool numbers_alike =
      a.real == b.real || (std::isnan(a.real) && std::isnan(b.real));  // NOLINT: none is computed
  if (a.kind != b.kind || a.text != b.text || a.integer != b.integer || !numbers_alike ||
      a.boolean != b.boolean || a.items.size() != b.items.size() ||
      a.entries.size() != b.entries.size()) {
    return false;
  }
  if (!std::equal(a.items.begin(), a.items.end(), b.items.begin(), same_value)) return false;
  const auto by_key = [](const Value& table) {
    std::vector<const Entry*> sorted;
    for (const Entry& entry : table.entries) sorted.push_back(&entry);
    std::sort(sorted.begin(), sorted.end(),
              [](const Entry* x, const Entry* y) { return x->key < y->key; });
    return sorted;
  };
  const auto of_a = by_key(a);
  const auto of_b = by_key(b);
  return std::equal(of_a.begin(), of_a.end(), of_b.begin(), [](const Entry* x, const Entry* y) {
    return x->key == y->key && same_value(x->value, y->value);
  });
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
