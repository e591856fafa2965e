#include "files/map_import.h"

#include <algorithm>
#include <array>
#include <tuple>
#include <utility>

#include <fmt/format.h>

#include "files/grid.h"
#include "files/text_encoding.h"
#include "headings.h"
#include "model/ascii_text.h"
#include "model/data_type.h"
#include "model/text_slips.h"
#include "table_import.h"
#include "thing_reader.h"

namespace greymet::files {

namespace {

using internal::Grid;
using internal::HeadingRows;

using Answers = std::pair<std::string_view, std::vector<std::string_view>>;

const std::vector<Answers>& all_answers() {
  static const std::vector<Answers> all{
      {"addresses", {"hex", "decimal"}},
      {"area", {"hr", "ir", "co", "di"}},
      {"columns", {"ignore"}},
      {"int", {"16", "32"}},
      {"length", {"registers", "bytes"}},
      {"numbering", {"from-0", "from-1", "reference"}},
      {"scale", {"multiply", "divide", "power"}},
      {"type", {"u16", "i16", "u32", "i32", "f32"}},
      {"word_order", {"ABCD", "CDAB", "BADC", "DCBA"}},
  };
  return all;
}

std::string joined(const std::vector<std::string>& texts) {
  return fmt::format("{}", fmt::join(texts, ", "));
}

// Rows below the headings with another number of cells: blanks that set apart nothing.
std::ptrdiff_t ragged(const Grid& grid, const HeadingRows& heading) {
  const std::size_t first = heading.first + heading.count;
  return std::count_if(
      grid.rows.begin() + static_cast<std::ptrdiff_t>(std::min(first, grid.rows.size())),
      grid.rows.end(),
      [&](const auto& row) { return row.size() > 1 && row.size() != heading.texts.size(); });
}

// The table of all in which most headings are known, and one of addresses.
tl::expected<ImportedMap, FileError> import_best(const std::vector<Grid>& grids,
                                                 const ImportOptions& options, bool of_sheets) {
  internal::OwnHeadings own;
  if (!options.headings.empty()) {
    std::string trouble;
    auto read = internal::own_headings_from(options.headings, trouble);
    if (!read) return tl::unexpected(FileError{"more headings: " + trouble});
    own = std::move(*read);
  }
  const Grid* best = nullptr;
  std::optional<HeadingRows> heading;
  std::vector<std::string> names;
  std::vector<std::string> others;
  const auto rank = [](const Grid& grid, const HeadingRows& rows) {
    const bool address = std::any_of(rows.headings.begin(), rows.headings.end(), [](const auto& h) {
      return h.column == internal::Column::address;
    });
    return std::tuple(address, rows.known, -ragged(grid, rows));
  };
  for (const Grid& grid : grids) {
    if (!grid.name.empty()) names.push_back(grid.name);
    if (!options.sheet.empty() && grid.name != options.sheet) continue;
    auto rows = internal::heading_rows_of(grid, own);
    if (!rows) continue;
    // of sheets the first one counts, of readings of one text the one in which most is known
    const bool better =
        best == nullptr || (!of_sheets && rank(grid, *rows) > rank(*best, *heading)) ||
        (of_sheets && std::get<0>(rank(grid, *rows)) && !std::get<0>(rank(*best, *heading)));
    if (best != nullptr && of_sheets) others.push_back(better ? best->name : grid.name);
    if (!better) continue;
    best = &grid;
    heading = std::move(rows);
  }
  if (best == nullptr) {
    if (!of_sheets) {
      return tl::unexpected(
          FileError{"has no row of headings such as point, area, address, type: at least two have "
                    "to be known"});
    }
    return tl::unexpected(FileError{
        options.sheet.empty()
            ? fmt::format(
                  "has no sheet with headings such as point, area, address, type; there are {}",
                  joined(names))
            : fmt::format("has no sheet '{}' with known headings; there are {}",
                          model::quoted_start(options.sheet), joined(names))});
  }
  auto map = internal::import_table(*best, *heading, options.readings);
  if (!map) return map;
  if (of_sheets) {
    if (!others.empty()) {
      map->notes.insert(
          map->notes.begin(),
          fmt::format("not read, though it has such headings too: {}", joined(others)));
    }
    map->notes.insert(map->notes.begin(),
                      fmt::format("sheet '{}' is read", model::quoted_start(best->name)));
  }
  return map;
}

void note_encoding(Encoding encoding, tl::expected<ImportedMap, FileError>& map) {
  if (!map || encoding == Encoding::utf8) return;
  map->notes.insert(map->notes.begin(),
                    fmt::format("it is read as {}, and stored as UTF-8", to_string(encoding)));
}

enum class Kind : std::uint8_t { unknown, text, page, workbook, ods, thing };

Kind kind_of(std::string_view name, const std::string& content) {
  const std::string ending =
      model::in_small_letters(name.substr(std::min(name.rfind('.'), name.size())));
  static constexpr std::array<std::pair<std::string_view, Kind>, 10> endings{
      {{".csv", Kind::text},
       {".txt", Kind::text},
       {".tsv", Kind::text},
       {".md", Kind::text},
       {".html", Kind::page},
       {".htm", Kind::page},
       {".xlsx", Kind::workbook},
       {".ods", Kind::ods},
       {".json", Kind::thing},
       {".jsonld", Kind::thing}}};
  for (const auto& [text, kind] : endings) {
    if (ending == text) return kind;
  }
  if (name != "-") return Kind::unknown;
  // from a pipe: by what it is
  if (content.starts_with("PK")) {
    return content.find("content.xml") != std::string::npos ? Kind::ods : Kind::workbook;
  }
  const std::string start = model::in_small_letters(content.substr(0, 65'536));
  if (start.find("<table") != std::string::npos || start.find("<html") != std::string::npos) {
    return Kind::page;
  }
  const std::size_t first = start.find_first_not_of(" \t\r\n");
  return first != std::string::npos && start[first] == '{' ? Kind::thing : Kind::text;
}

}  // namespace

std::vector<std::string_view> all_questions() {
  std::vector<std::string_view> out;
  for (const auto& [about, answers] : all_answers()) out.push_back(about);
  return out;
}

std::vector<std::string_view> answers_to(std::string_view about) {
  for (const auto& [key, answers] : all_answers()) {
    if (key == about) return answers;
  }
  return {};
}

tl::expected<ImportedMap, FileError> import_map(std::string_view name, const std::string& content,
                                                const ImportOptions& options) {
  const Kind kind = kind_of(name, content);
  const bool of_sheets = kind == Kind::workbook || kind == Kind::ods || kind == Kind::page;
  if (!options.sheet.empty() && !of_sheets) {
    return tl::unexpected(FileError{"--sheet is for workbooks (.xlsx, .ods) and pages (.html)"});
  }
  switch (kind) {
    case Kind::workbook:
    case Kind::ods: {
      auto grids =
          kind == Kind::ods ? internal::grids_of_ods(content) : internal::grids_of_archive(content);
      if (!grids) return tl::unexpected(grids.error());
      return import_best(*grids, options, true);
    }
    case Kind::unknown:
      return tl::unexpected(FileError{
          "ends neither in .csv, .txt, .html, .xlsx, .ods nor .json; - reads what is piped in"});
    case Kind::text:
    case Kind::page:
    case Kind::thing: break;
  }
  const auto decoded = decode_text(content);
  if (!decoded) return tl::unexpected(decoded.error());
  if (kind == Kind::thing) {
    auto map = internal::import_thing(decoded->text);
    note_encoding(decoded->encoding, map);
    return map;
  }
  auto grids = kind == Kind::page ? internal::grids_of_page(decoded->text)
                                  : internal::grids_of_text(decoded->text);
  if (!grids) return tl::unexpected(grids.error());
  auto map = import_best(*grids, options, of_sheets);
  note_encoding(decoded->encoding, map);
  return map;
}

}  // namespace greymet::files
