#include "files/csv_reader.h"

#include <algorithm>
#include <array>
#include <memory>

#include <csv.h>
#include <fmt/format.h>

#include "files/file_source.h"
#include "files/source_text.h"

namespace greymet::files {
namespace {

char delimiter_of(std::string_view text) {
  std::array<std::size_t, 3> counts{};
  constexpr std::array delimiters{',', ';', '\t'};
  bool quoted = false;
  for (char c : text) {
    if (c == '"') quoted = !quoted;
    if (quoted) continue;
    if (c == '\n' || c == '\r') {
      if (std::any_of(counts.begin(), counts.end(), [](std::size_t n) { return n > 0; })) break;
      continue;
    }
    for (std::size_t i = 0; i < delimiters.size(); ++i) {
      if (c == delimiters[i]) ++counts[i];
    }
  }
  const auto best = std::max_element(counts.begin(), counts.end());
  return delimiters[static_cast<std::size_t>(best - counts.begin())];
}

// libcsv tells where fields end, not where they began: bytes are fed one at a time and the place
// is followed alongside.
class Builder {
 public:
  Builder(std::uint32_t file, char delimiter) : file_(file) { table_.delimiter = delimiter; }

  tl::expected<CsvTable, CsvError> build(std::string_view text) {
    csv_parser parser{};
    if (csv_init(&parser, CSV_STRICT | CSV_STRICT_FINI | CSV_APPEND_NULL) != 0) {
      return fail("out of memory", "");
    }
    const std::unique_ptr<csv_parser, void (*)(csv_parser*)> guard(&parser, csv_free);
    csv_set_delim(&parser, static_cast<unsigned char>(table_.delimiter));
    for (std::size_t i = 0; i < text.size(); ++i) {
      if (csv_parse(&parser, &text[i], 1, on_field, on_row, this) != 1) return quote_failure();
      if (is_too_large()) break;
      follow(text, i);
    }
    if (!is_too_large() && csv_fini(&parser, on_field, on_row, this) != 0) return quote_failure();
    if (is_too_large()) {
      return fail(table_.rows.size() > most_rows
                      ? fmt::format("has more than {} rows", most_rows)
                      : fmt::format("has more than {} cells", most_cells),
                  "split the table");
    }
    if (table_.header.empty()) return fail("is empty", "a table begins with a header row");
    return std::move(table_);
  }

 private:
  [[nodiscard]] bool is_too_large() const {
    return table_.rows.size() > most_rows || cells_ > most_cells;
  }

  static void on_field(void* data, std::size_t length, void* self) {
    auto& builder = *static_cast<Builder*>(self);
    model::Range place = builder.field_start_;
    place.end_line = builder.line_;  // the delimiter that ends it has not been counted yet
    place.end_column = builder.column_;
    // as the row before: many headings may stand over short rows
    const auto& rows = builder.table_.rows;
    if (builder.row_.empty() && !rows.empty()) builder.row_.reserve(rows.back().size());
    ++builder.cells_;
    builder.row_.push_back({std::string(static_cast<const char*>(data), length), place});
    builder.field_ended_ = true;
  }
  static void on_row(int, void* self) {
    auto& builder = *static_cast<Builder*>(self);
    auto row = std::exchange(builder.row_, {});
    const bool blank =
        std::all_of(row.begin(), row.end(), [](const Cell& c) { return c.text.empty(); });
    if (blank) return;
    if (builder.table_.header.empty()) {
      builder.table_.header = std::move(row);
    } else {
      builder.table_.rows.push_back(std::move(row));
    }
  }

  // Moves the place behind byte `i`; a field begins behind a delimiter or a line break.
  void follow(std::string_view text, std::size_t i) {
    const char c = text[i];
    if (c == '"') quoted_ = !quoted_;
    const bool crlf = c == '\r' && i + 1 < text.size() && text[i + 1] == '\n';
    if (c == '\n' || (c == '\r' && !crlf)) {
      ++line_;
      column_ = 1;
      if (row_.empty() && !quoted_) field_start_ = {file_, line_, column_, 0, 0};
    } else if ((static_cast<unsigned char>(c) & 0xC0U) != 0x80) {
      ++column_;
    }
    if (field_ended_) field_start_ = {file_, line_, column_, 0, 0};
    field_ended_ = false;
  }

  tl::unexpected<CsvError> quote_failure() {
    return fail("a quote is opened and not closed, or stands inside a cell that has none",
                "quote the whole cell and double the quotes inside it: \"3/4\"\" pipe\"");
  }
  tl::unexpected<CsvError> fail(std::string message, std::string remedy) {
    return tl::unexpected(CsvError{field_start_, std::move(message), std::move(remedy)});
  }

  std::uint32_t file_;
  std::uint32_t line_ = 1;
  std::uint32_t column_ = 1;
  model::Range field_start_{file_, 1, 1, 0, 0};
  bool field_ended_ = false;
  bool quoted_ = false;
  std::vector<Cell> row_;
  std::size_t cells_ = 0;
  CsvTable table_;
};

}  // namespace

tl::expected<CsvTable, CsvError> read_csv(const std::string& text, std::uint32_t file,
                                          std::optional<char> delimiter) {
  std::string_view content = text;
  if (content.starts_with(byte_order_mark)) content.remove_prefix(byte_order_mark.size());
  return Builder(file, delimiter.value_or(delimiter_of(content))).build(content);
}

}  // namespace greymet::files
