// What TOML and CSV files say, before anybody knows what it means: one form for both.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "model/range.h"

namespace greymet::files {

// `refused`: something stands there that could not be read, and has been reported.
enum class ValueKind : std::uint8_t {
  text,
  integer,
  real,
  boolean,
  date,
  array,
  table,
  cell,
  refused
};

struct Entry;

// A value with its place. `text` holds texts, cells, and integers as they were written.
struct Value {
  ValueKind kind = ValueKind::table;
  model::Range place;
  std::string text;
  std::int64_t integer = 0;
  double real = 0;
  bool boolean = false;
  std::vector<Value> items;    // of an array
  std::vector<Entry> entries;  // of a table, in the order of the file

  // The value of a key, or null.
  [[nodiscard]] const Value* find(std::string_view key) const;
  [[nodiscard]] Value* find(std::string_view key);
  // The value of a key, made as a table if it was not there.
  Value& table_at(std::string_view key, model::Range at);
};

// The same kinds and values, wherever they stand; keys in any order.
[[nodiscard]] bool same_value(const Value& a, const Value& b);

// One key of a table.
struct Entry {
  std::string key;
  model::Range place;
  Value value;
};

// "an integer", "a text": for messages.
[[nodiscard]] std::string_view describe(ValueKind kind);

}  // namespace greymet::files
