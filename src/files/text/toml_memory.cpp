#include "files/toml_memory.h"

#include <algorithm>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "files/toml_reader.h"
#include "model/utf8_text.h"
#include "toml_depth.h"

namespace greymet::files {

struct TomlMemory::Rows {
  std::unordered_map<std::string, Value> by_text;
  std::string rest;  // the text without them, and what it says
  std::uint32_t file = 0;
  Value rest_value;
  std::size_t reused = 0;
};

namespace {

constexpr std::string_view before_row = "row = ";

// A row that is read by itself: where it stands, in bytes and as places count.
struct CutRow {
  std::size_t begin = 0;
  std::size_t end = 0;
  std::uint32_t line = 0;
  std::uint32_t column = 0;
};

// Lines that hold braces and perhaps a comma, and nothing else. Whether such a line really is a row
// of a list shows when all is read.
std::vector<CutRow> rows_of(std::string_view text) {
  std::vector<CutRow> rows;
  std::uint32_t number = 0;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    ++number;
    const std::size_t first = text.find_first_not_of(" \t", at);
    if (first < end && text[first] == '{') {
      std::size_t last = end;
      const auto skip = [&](std::string_view what) {
        while (last > first && what.find(text[last - 1]) != std::string_view::npos) --last;
      };
      skip(" \t\r");
      if (text[last - 1] == ',') --last;
      skip(" \t");
      if (last > first + 1 && text[last - 1] == '}') {
        rows.push_back({first, last, number, static_cast<std::uint32_t>(first - at + 1)});
      }
    }
    at = end + 1;
  }
  return rows;
}

// The text with "0" in the place of each row.
std::string without(std::string_view text, const std::vector<CutRow>& rows) {
  std::string out;
  std::size_t at = 0;
  for (const CutRow& row : rows) {
    out += text.substr(at, row.begin - at);
    out += '0';
    at = row.end;
  }
  out += text.substr(at);
  return out;
}

void move_place(model::Range& place, const CutRow& to, std::uint32_t file) {
  const auto column = static_cast<std::uint32_t>(to.column - before_row.size() - 1);
  place.file = file;
  if (place.line > 0) {
    place.line = to.line;
    place.column += column;
  }
  if (place.has_end()) {
    place.end_line = to.line;
    place.end_column += column;
  }
}

void move_value(Value& value, const CutRow& to, std::uint32_t file) {
  move_place(value.place, to, file);
  for (Value& item : value.items) move_value(item, to, file);
  for (Entry& entry : value.entries) {
    move_place(entry.place, to, file);
    move_value(entry.value, to, file);
  }
}

// Neither the text with its rows nor a row is near the limits of the parser, which are looked for
// again where it reads what is left: see toml_depth.h. Quick, and on the safe side.
bool is_far_from_limits(std::string_view text) {
  std::size_t parts = 0;
  for (const char c : {',', '=', '.', '[', '{'}) {
    parts += static_cast<std::size_t>(std::count(text.begin(), text.end(), c));
  }
  return parts < internal::most_parts / 2;
}
bool is_shallow(std::string_view row) {
  constexpr std::ptrdiff_t most = 16;
  return std::count(row.begin(), row.end(), '{') + std::count(row.begin(), row.end(), '[') <= most;
}

// Puts the rows where "0" stands for them; false where one is missing.
class RowFiller {
 public:
  RowFiller(const std::vector<CutRow>& rows, std::vector<Value>& values)
      : rows_(rows), values_(values) {}

  bool fill(Value& root) {
    walk(root, 0);
    return filled_ == rows_.size();
  }

 private:
  // Rows that lie deep, with their own depth, are for who counts both.
  void walk(Value& value, std::size_t depth) {
    if (depth > internal::deepest_nesting / 2) return;
    for (Value& item : value.items) {
      if (item.kind == ValueKind::integer) {
        put(item);
      } else {
        walk(item, depth + 1);
      }
    }
    for (Entry& entry : value.entries) walk(entry.value, depth + 1);
  }

  void put(Value& item) {
    const auto at = std::lower_bound(
        rows_.begin(), rows_.end(), item.place, [](const CutRow& row, const model::Range& place) {
          return std::pair(row.line, row.column) < std::pair(place.line, place.column);
        });
    if (at == rows_.end() || at->line != item.place.line || at->column != item.place.column) return;
    item = std::move(values_[static_cast<std::size_t>(at - rows_.begin())]);
    ++filled_;
  }

  const std::vector<CutRow>& rows_;
  std::vector<Value>& values_;
  std::size_t filled_ = 0;
};

}  // namespace

TomlMemory::TomlMemory() : rows_(std::make_unique<Rows>()) {}
TomlMemory::~TomlMemory() = default;

std::size_t TomlMemory::rows_reused() const {
  return rows_->reused;
}

std::optional<Value> TomlMemory::read(const std::string& text, std::uint32_t file,
                                      model::Findings& findings) {
  constexpr std::size_t few = 100;  // are read as quickly without
  std::vector<CutRow> rows = rows_of(text);
  std::size_t reused = 0;
  rows_->reused = 0;
  // whatever is wrong is told of the whole text
  if (rows.size() < few || !is_far_from_limits(text)) return read_toml(text, file, findings);
  std::unordered_map<std::string, Value> known;
  known.reserve(rows.size());
  std::vector<Value> values;
  values.reserve(rows.size());
  std::erase_if(rows, [&](const CutRow& row) {
    std::string own(text, row.begin, row.end - row.begin);
    auto at = known.find(own);
    if (at == known.end()) {
      const auto before = rows_->by_text.find(own);
      if (before != rows_->by_text.end()) {
        ++reused;
        at = known.insert(rows_->by_text.extract(before)).position;
      } else {
        model::Findings wrong;
        auto root = read_toml(std::string(before_row) + own, 0, wrong);
        // it is left where it is
        if (!root || !wrong.empty() || root->entries.size() != 1 || !is_shallow(own)) return true;
        at = known.emplace(std::move(own), std::move(root->entries.front().value)).first;
      }
    }
    values.push_back(at->second);
    move_value(values.back(), row, file);
    return false;
  });
  rows_->by_text = std::move(known);
  std::string rest = without(text, rows);
  if (rest != rows_->rest || file != rows_->file) {
    model::Findings wrong;
    auto root = read_toml(rest, file, wrong);
    if (!root || !wrong.empty()) return read_toml(text, file, findings);
    rows_->rest = std::move(rest);
    rows_->file = file;
    rows_->rest_value = std::move(*root);
  }
  Value root = rows_->rest_value;
  if (!RowFiller(rows, values).fill(root)) return read_toml(text, file, findings);
  rows_->reused = reused;
  return root;
}

}  // namespace greymet::files
