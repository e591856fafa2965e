#include <algorithm>
#include <map>

#include "editor/features.h"
#include "model/utf8_text.h"

namespace greymet::editor {

using files::Span;
using files::TomlNode;

namespace {

// One row of a list: `{ a = 1, b = 2 }` in a line of its own.
struct Row {
  Span span;  // its braces
  std::vector<std::string> keys;
  std::vector<std::string> pairs;  // "a = 1"
};

class RowAligner {
 public:
  RowAligner(std::string_view text, const Span& span) : text_(text), span_(span) {}

  std::vector<NewText> run() {
    for (const TomlNode& node : files::scan_toml(text_)) lists_in(node);
    return std::move(out_);
  }

 private:
  [[nodiscard]] std::string_view part(const Span& span) const {
    return text_.substr(span.begin, span.end - span.begin);
  }

  void lists_in(const TomlNode& node) {
    const bool list = !node.value.empty() && text_[node.value.begin] == '[' && node.closed;
    if (!list) return;
    std::vector<Row> run;
    const auto end_run = [&] {
      align(run);
      run.clear();
    };
    for (const TomlNode& element : node.parts) {
      auto row = row_of(element);
      if (!row || (!run.empty() && !is_next_line(run.back().span, row->span))) end_run();
      if (row) run.push_back(std::move(*row));
    }
    end_run();
  }

  // People group rows: by empty lines, and by comments in lines of their own.
  [[nodiscard]] bool is_next_line(const Span& row, const Span& next) const {
    const std::string_view between = text_.substr(row.end, next.begin - row.end);
    return std::count(between.begin(), between.end(), '\n') == 1;
  }

  // Nothing where it is no row alone in its line, or holds what is not a key and its value.
  [[nodiscard]] std::optional<Row> row_of(const TomlNode& element) const {
    const Span whole = element.value;
    if (!element.closed || whole.empty() || text_[whole.begin] != '{') return std::nullopt;
    if (whole.begin > span_.end || whole.end < span_.begin) return std::nullopt;
    if (part(whole).find('\n') != std::string_view::npos) return std::nullopt;
    const std::size_t before = text_.rfind('\n', whole.begin);
    const std::size_t line = before == std::string_view::npos ? 0 : before + 1;
    if (text_.substr(line, whole.begin - line).find_first_not_of(" \t") != std::string_view::npos) {
      return std::nullopt;
    }
    Row row{whole, {}, {}};
    std::size_t at = whole.begin + 1;
    for (const TomlNode& pair : element.parts) {
      // between two pairs there is a comma, and blanks
      const std::string_view gap = text_.substr(at, pair.whole.begin - at);
      const auto commas = std::count(gap.begin(), gap.end(), ',');
      const bool blank = gap.find_first_not_of(" \t,") == std::string_view::npos;
      if (!blank || commas != (row.pairs.empty() ? 0 : 1)) return std::nullopt;
      if (pair.key.empty() || pair.value.empty() || !pair.closed) return std::nullopt;
      row.keys.emplace_back(part(pair.key));
      row.pairs.push_back(std::string(part(pair.key)) + " = " + std::string(part(pair.value)));
      at = pair.whole.end;
    }
    const std::string_view rest = text_.substr(at, whole.end - 1 - at);
    if (row.pairs.empty() || rest.find_first_not_of(" \t") != std::string_view::npos) {
      return std::nullopt;
    }
    return row;
  }

  // Keys of at least half of the rows, in the order of the rows that have most of them.
  static std::vector<std::string> columns_of(const std::vector<Row>& rows) {
    std::map<std::string, std::size_t> count;
    for (const Row& row : rows) {
      for (const std::string& key : row.keys) ++count[key];
    }
    std::vector<std::string> columns;
    for (const Row& row : rows) {
      std::size_t behind = 0;  // the last column of this row that is known
      for (const std::string& key : row.keys) {
        if (2 * count[key] < rows.size()) continue;
        const auto known = std::find(columns.begin(), columns.end(), key);
        if (known != columns.end()) {
          behind = static_cast<std::size_t>(known - columns.begin()) + 1;
          continue;
        }
        columns.insert(
            columns.begin() + static_cast<std::ptrdiff_t>(std::min(behind, columns.size())), key);
        ++behind;
      }
    }
    return columns;
  }

  // A row is in columns as far as its keys are those of the columns, in their order; from the first
  // other one on it goes on as it is.
  void align(const std::vector<Row>& rows) {
    if (rows.size() < 2) return;
    const std::vector<std::string> columns = columns_of(rows);
    std::vector<std::vector<std::string>> cells(rows.size(),
                                                std::vector<std::string>(columns.size()));
    std::vector<std::string> rests(rows.size());
    for (std::size_t r = 0; r < rows.size(); ++r) {
      std::size_t next = 0;  // the first column that is free
      for (std::size_t k = 0; k < rows[r].keys.size(); ++k) {
        const auto at = std::find(columns.begin() + static_cast<std::ptrdiff_t>(next),
                                  columns.end(), rows[r].keys[k]);
        const std::string comma = k + 1 < rows[r].keys.size() ? "," : "";
        if (at != columns.end() && rests[r].empty()) {
          const auto column = static_cast<std::size_t>(at - columns.begin());
          cells[r][column] = rows[r].pairs[k] + comma;
          next = column + 1;
        } else {
          rests[r] += " " + rows[r].pairs[k] + comma;
        }
      }
    }
    std::vector<std::size_t> widths(columns.size());
    for (const auto& row : cells) {
      for (std::size_t c = 0; c < row.size(); ++c) {
        widths[c] = std::max(widths[c], model::code_points(row[c]));
      }
    }
    for (std::size_t r = 0; r < rows.size(); ++r) {
      const auto& row = cells[r];
      std::size_t used = row.size();
      while (used > 0 && row[used - 1].empty()) --used;
      std::string line = "{";
      for (std::size_t c = 0; c < used; ++c) {
        if (widths[c] == 0) continue;
        line += ' ';
        line += row[c];
        if (c + 1 < used) line.append(widths[c] - model::code_points(row[c]), ' ');
      }
      line += rests[r] + " }";
      if (line != part(rows[r].span)) out_.push_back({{0, rows[r].span}, std::move(line)});
    }
  }

  std::string_view text_;
  Span span_;
  std::vector<NewText> out_;
};

}  // namespace

std::vector<NewText> aligned_rows(std::string_view plan, const Span& span) {
  return RowAligner(plan, span).run();
}

}  // namespace greymet::editor
