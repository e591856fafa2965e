// A table as a value: what its columns mean, and rows of typed cells. Whoever knows the numbers
// makes it once; faces render it: files/table_json.h, files/table_csv.h, the pages and the workbook
// of exports, cli/table_text.h. A face may leave out columns that are empty in every row, and says
// elsewhere (a heading, a line below) what it does not show as a column; it has no column of its
// own.
#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "model/strong.h"

namespace greymet::tables {

using model::Duration;

// How somebody who reads it should feel about a word or a row.
enum class Mood : std::uint8_t { plain, soft, good, warn, bad };

// A verdict or a state in a word or two.
struct State {
  std::string word;
  Mood mood = Mood::plain;
  friend bool operator==(const State&, const State&) = default;
};

using Words = std::vector<std::string>;

// Nothing, or a value of its column's kind.
using Cell =
    std::variant<std::monostate, bool, std::int64_t, double, Duration, std::string, Words, State>;

// What the cells of a column hold: `text`, `whole` and so on; `duration` is in milliseconds
// wherever it becomes a number, and its key ends with _ms.
enum class Kind : std::uint8_t { text, flag, whole, number, duration, words, state };

inline constexpr int always = 9;  // weight of columns that no face leaves out

struct Column {
  std::string_view key;      // "response_bound_ms"
  std::string_view heading;  // "response bound"; the unit is added by faces
  Kind kind = Kind::text;
  std::string_view meaning;    // one sentence without its full stop
  int weight = 1;              // where room is short, the lightest go first
  std::string_view unit = {};  // of numbers and whole numbers: "%"
  bool outer = false;          // the same in all rows of a group: said once in its heading
};

struct Row {
  std::vector<Cell> cells;  // as many as there are columns
  Mood mood = Mood::plain;
};

struct Table {
  std::string_view name;  // of files and sheets: "timing"
  std::string_view none;  // what to say where there are no rows
  std::vector<Column> columns;
  std::vector<Row> rows;

  void add(std::vector<Cell> cells, Mood mood = Mood::plain) {
    rows.push_back({std::move(cells), mood});
  }
};

// Cells from what there may be.
[[nodiscard]] Cell whole(std::uint64_t value);
template <class T>
[[nodiscard]] Cell maybe(const std::optional<T>& value) {
  return value ? Cell(*value) : Cell();
}
// A name, or nothing where it is empty.
[[nodiscard]] Cell text(std::string_view value);

// True where some row has a value there.
[[nodiscard]] std::vector<bool> columns_with_values(const Table& table);

// Numbers stand to the right.
[[nodiscard]] constexpr bool is_numeric(Kind kind) {
  return kind == Kind::whole || kind == Kind::number || kind == Kind::duration;
}

// Takes the lightest out of `columns`, the last of several first, until those that stay are within
// `room`; what no face leaves out stays. `widths` are of all columns of the table. What was taken
// out, in the order of the table.
[[nodiscard]] std::vector<std::size_t> take_out_lightest(const Table& table,
                                                         std::vector<std::size_t>& columns,
                                                         const std::vector<std::size_t>& widths,
                                                         std::size_t room);

// The first rows of groups, whose outer columns differ from the row before; all rows are one group
// where there are no outer columns.
[[nodiscard]] std::vector<std::size_t> group_starts(const Table& table);

// "response bound ms", as faces head a column.
[[nodiscard]] std::string heading_of(const Column& column);

// The cell as a text that reads back: "", "true", "12", "163.776", "a; b".
[[nodiscard]] std::string plain_text(const Cell& cell);

}  // namespace greymet::tables
