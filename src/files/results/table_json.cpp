#include "files/table_json.h"

#include <cmath>

#include "files/json_text.h"

namespace greymet::files {

using RowJson = nlohmann::ordered_json;

namespace {

RowJson row_of(const tables::Table& table, std::size_t row, OuterColumns outer) {
  RowJson out = RowJson::object();
  for (std::size_t c = 0; c < table.columns.size(); ++c) {
    if (table.columns[c].outer && outer == OuterColumns::in_groups) continue;
    out[std::string(table.columns[c].key)] = json_of(table.rows[row].cells[c]);
  }
  return out;
}

tables::Cell cell_from(const RowJson& value, tables::Kind kind) {
  switch (kind) {
    case tables::Kind::text:
      return value.is_string() ? tables::Cell(value.get<std::string>()) : tables::Cell();
    case tables::Kind::flag:
      return value.is_boolean() ? tables::Cell(value.get<bool>()) : tables::Cell();
    case tables::Kind::whole:
      return value.is_number_integer() ? tables::Cell(value.get<std::int64_t>()) : tables::Cell();
    case tables::Kind::number:
      return value.is_number() ? tables::Cell(value.get<double>()) : tables::Cell();
    case tables::Kind::duration: {
      constexpr double longest_ms = 1e15;
      const double ms = value.is_number() ? value.get<double>() : NAN;
      if (!(std::abs(ms) < longest_ms)) return {};
      constexpr double ns_per_ms = 1e6;
      return model::Duration(
          static_cast<std::int64_t>(std::llround(std::min(ms * ns_per_ms, 9.0e18))));
    }
    case tables::Kind::words: {
      tables::Words words;
      if (!value.is_array()) return {};
      for (const RowJson& word : value) {
        if (word.is_string()) words.push_back(word.get<std::string>());
      }
      return words;
    }
    case tables::Kind::state:
      return value.is_string() ? tables::Cell(tables::State{value.get<std::string>(), {}})
                               : tables::Cell();
  }
  return {};
}

}  // namespace

RowJson json_of(const tables::Cell& cell) {
  struct Value {
    RowJson operator()(std::monostate /*nothing*/) const { return nullptr; }
    RowJson operator()(bool value) const { return value; }
    RowJson operator()(std::int64_t value) const { return value; }
    RowJson operator()(double value) const { return value; }
    RowJson operator()(model::Duration value) const { return model::to_ms(value); }
    RowJson operator()(const std::string& value) const { return value; }
    RowJson operator()(const tables::Words& value) const { return value; }
    RowJson operator()(const tables::State& value) const { return value.word; }
  };
  return std::visit(Value{}, cell);
}

RowJson rows_json(const tables::Table& table, std::size_t first, std::size_t end,
                  OuterColumns outer) {
  RowJson out = RowJson::array();
  for (std::size_t r = first; r < end; ++r) out.push_back(row_of(table, r, outer));
  return out;
}

RowJson rows_json(const tables::Table& table) {
  return rows_json(table, 0, table.rows.size(), OuterColumns::in_rows);
}

std::string json_array(const tables::Table& table) {
  std::string text = "[";
  for (std::size_t r = 0; r < table.rows.size(); ++r) {
    text += r == 0 ? "\n" : ",\n";
    const std::string row = dump(row_of(table, r, OuterColumns::in_rows));
    for (std::size_t at = 0; at < row.size();) {
      const std::size_t end = row.find('\n', at);
      text.append("  ").append(row, at, end - at);
      at = end + 1;
      if (at < row.size()) text += '\n';
    }
  }
  return text + (table.rows.empty() ? "]\n" : "\n]\n");
}

void add_rows_of(const RowJson& rows, tables::Table& table) {
  if (!rows.is_array()) return;
  for (const RowJson& row : rows) {
    std::vector<tables::Cell> cells;
    for (const tables::Column& column : table.columns) {
      const std::string key(column.key);
      cells.push_back(row.is_object() && row.contains(key) ? cell_from(row[key], column.kind)
                                                           : tables::Cell());
    }
    table.add(std::move(cells));
  }
}

}  // namespace greymet::files
