// Texts as tables: CSV in its dialects, tables drawn with bars, and what is pasted from a page.
#include <algorithm>
#include <optional>

#include <fmt/format.h>

#include "files/csv_reader.h"
#include "files/grid.h"
#include "model/text_slips.h"
#include "model/utf8_text.h"

namespace greymet::files::internal {

namespace {

struct TextLine {
  std::string text;
  std::size_t number = 0;
};

std::vector<TextLine> lines_of(std::string_view text) {
  std::vector<TextLine> lines;
  std::size_t number = 0;
  while (!text.empty()) {
    const std::size_t end = std::min(text.find('\n'), text.size());
    std::string line(text.substr(0, end));
    text.remove_prefix(std::min(end + 1, text.size()));
    ++number;
    // a page break, and what office programs put for blanks
    std::erase_if(line, [](char c) { return c == '\r' || c == '\f'; });
    if (const auto plain = model::without_typography(line);
        plain && line.find("\xC2\xA0") != std::string::npos) {
      line = *plain;
    }
    if (!model::trimmed(line).empty()) lines.push_back({std::move(line), number});
  }
  return lines;
}

void add_row(Grid& grid, std::vector<std::string> cells, std::size_t line) {
  for (std::string& cell : cells) cell = std::string(model::trimmed(cell));
  grid.rows.push_back(std::move(cells));
  grid.lines.push_back(line);
}

Grid grid_of(const CsvTable& table) {
  Grid grid;
  const auto add = [&](const std::vector<Cell>& row) {
    std::vector<std::string> cells;
    cells.reserve(row.size());
    for (const Cell& cell : row) cells.push_back(cell.text);
    grid.rows.push_back(std::move(cells));
    grid.lines.push_back(row.front().place.line);
  };
  add(table.header);
  for (const auto& row : table.rows) add(row);
  return grid;
}

// "| a | b |", without the lines that only draw.
std::optional<Grid> between_bars(const std::vector<TextLine>& lines) {
  Grid grid;
  for (const TextLine& line : lines) {
    std::string_view text = model::trimmed(line.text);
    if (text.find('|') == std::string_view::npos) continue;
    if (text.find_first_not_of("|-+=: ") == std::string_view::npos) continue;
    if (text.starts_with('|')) text.remove_prefix(1);
    if (text.ends_with('|')) text.remove_suffix(1);
    std::vector<std::string> cells;
    for (;;) {
      const std::size_t end = std::min(text.find('|'), text.size());
      cells.emplace_back(text.substr(0, end));
      if (end == text.size()) break;
      text.remove_prefix(end + 1);
    }
    add_row(grid, std::move(cells), line.number);
  }
  return grid.rows.size() < 2 ? std::nullopt : std::optional(std::move(grid));
}

// Cells between two blanks or more, or tabs.
std::vector<std::string> between_wide_blanks(std::string_view text) {
  std::vector<std::string> cells;
  text = model::trimmed(text);
  while (!text.empty()) {
    std::size_t end = 0;
    while (end < text.size() && text[end] != '\t' &&
           !(text[end] == ' ' && end + 1 < text.size() &&
             (text[end + 1] == ' ' || text[end + 1] == '\t'))) {
      ++end;
    }
    cells.emplace_back(text.substr(0, end));
    text = model::trimmed(text.substr(end));
  }
  return cells;
}

Grid by_wide_blanks(const std::vector<TextLine>& lines) {
  Grid grid;
  for (const TextLine& line : lines) add_row(grid, between_wide_blanks(line.text), line.number);
  return grid;
}

// A line by its code points. Keeps a reference.
class WideLine {
 public:
  explicit WideLine(const std::string& text) : text_(&text) {
    for (std::size_t at = 0; at < text.size();) {
      at_.push_back(at);
      std::size_t behind = at;
      (void)model::decode(text, at, behind);
      at = std::max(behind, at + 1);
    }
  }
  [[nodiscard]] std::size_t size() const { return at_.size(); }
  [[nodiscard]] bool is_blank(std::size_t c) const {
    return c >= at_.size() || (*text_)[at_[c]] == ' ';
  }
  [[nodiscard]] std::string part(std::size_t from, std::size_t to) const {
    if (from >= at_.size()) return {};
    const std::size_t end = to < at_.size() ? at_[to] : text_->size();
    return text_->substr(at_[from], end - at_[from]);
  }

 private:
  const std::string* text_;
  std::vector<std::size_t> at_;  // bytes at which they begin
};

// A cell between wide blanks, and where it stands.
struct PlacedCell {
  std::string text;
  std::size_t first = 0;
  std::size_t end = 0;
};

std::vector<PlacedCell> placed_cells(const WideLine& line) {
  std::vector<PlacedCell> cells;
  std::size_t c = 0;
  while (c < line.size()) {
    if (line.is_blank(c)) {
      ++c;
      continue;
    }
    std::size_t end = c;
    while (end < line.size() && !(line.is_blank(end) && line.is_blank(end + 1))) ++end;
    cells.push_back({line.part(c, end), c, end});
    c = end;
  }
  return cells;
}

// The column under whose heading most of the cell stands; else the one that it begins in.
std::size_t column_under(const std::vector<PlacedCell>& headings, const PlacedCell& cell) {
  std::size_t best = 0;
  std::size_t most = 0;
  for (std::size_t h = 0; h < headings.size(); ++h) {
    const std::size_t first = std::max(headings[h].first, cell.first);
    const std::size_t end = std::min(headings[h].end, cell.end);
    if (end > first && end - first > most) {
      most = end - first;
      best = h;
    }
    if (most == 0 && headings[h].first <= cell.first) best = h;
  }
  return best;
}

// Cells below headings, told by where they stand: cells may be empty there. The first line of three
// cells is that of the headings; lines of one cell are titles.
std::optional<Grid> below_headings(const std::vector<TextLine>& lines) {
  constexpr std::size_t least_headings = 3;
  Grid grid;
  std::vector<PlacedCell> headings;
  for (const TextLine& line : lines) {
    if (line.text.find('\t') != std::string::npos) return std::nullopt;
    const WideLine wide(line.text);
    std::vector<PlacedCell> cells = placed_cells(wide);
    if (headings.empty() && cells.size() >= least_headings) headings = cells;
    if (headings.empty() || cells.size() < 2) {
      add_row(grid, {line.text}, line.number);
      continue;
    }
    std::vector<std::string> row(headings.size());
    for (const PlacedCell& cell : cells) {
      std::string& text = row[column_under(headings, cell)];
      text += (text.empty() ? "" : " ") + cell.text;
    }
    add_row(grid, std::move(row), line.number);
  }
  return headings.empty() ? std::nullopt : std::optional(std::move(grid));
}

}  // namespace

tl::expected<std::vector<Grid>, FileError> grids_of_text(const std::string& text) {
  std::vector<Grid> grids;
  std::optional<CsvError> trouble;
  for (const char delimiter : {',', ';', '\t'}) {
    if (text.find(delimiter) == std::string::npos) continue;
    const auto table = read_csv(text, 0, delimiter);
    if (table) {
      grids.push_back(grid_of(*table));
    } else if (!trouble) {
      trouble = table.error();
    }
  }
  const std::vector<TextLine> lines = lines_of(text);
  if (text.find('|') != std::string::npos) {
    if (auto grid = between_bars(lines)) grids.push_back(std::move(*grid));
  }
  if (!trouble && lines.size() <= 4096 && text.find("  ") != std::string::npos) {
    grids.push_back(by_wide_blanks(lines));
    if (auto grid = below_headings(lines)) grids.push_back(std::move(*grid));
  }
  if (grids.empty() && trouble) {
    return tl::unexpected(
        FileError{fmt::format("line {}: {}{}{}", trouble->place.line, trouble->message,
                              trouble->remedy.empty() ? "" : "; ", trouble->remedy)});
  }
  if (grids.empty()) grids.push_back(by_wide_blanks(lines));
  return grids;
}

}  // namespace greymet::files::internal
