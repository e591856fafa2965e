// Sheets of an OpenDocument spreadsheet: content.xml in a ZIP archive.
#include <algorithm>
#include <cmath>

#include <fmt/format.h>
#include <pugixml.hpp>

#include "files/csv_reader.h"
#include "files/file_source.h"
#include "files/grid.h"
#include "files/zip_member.h"

namespace greymet::files::internal {

namespace {

// A tree of XML takes some 15 times its text.
constexpr std::size_t largest_content = std::size_t{20} << 20;

// Text of paragraphs; what several blanks in a row are written as counts as one.
void add_paragraph(const pugi::xml_node& node, std::string& out, int depth) {
  constexpr int deepest = 50;
  if (depth > deepest) return;
  for (const pugi::xml_node child : node.children()) {
    const std::string_view name = child.name();
    if (child.type() == pugi::node_pcdata) out += child.value();
    if (name == "text:s" || name == "text:tab" || name == "text:line-break") out += ' ';
    if (name != "office:annotation") add_paragraph(child, out, depth + 1);
  }
}

std::string text_of_cell(const pugi::xml_node& cell) {
  const std::string_view kind = cell.attribute("office:value-type").value();
  if (kind == "float" || kind == "percentage" || kind == "currency") {
    const double value = cell.attribute("office:value").as_double();
    constexpr double exact = 9007199254740992.0;
    return value == std::floor(value) && std::abs(value) < exact
               ? fmt::format("{}", static_cast<std::int64_t>(value))
               : fmt::format("{:.15g}", value);
  }
  if (kind == "boolean") return cell.attribute("office:boolean-value").value();
  std::string text;
  for (const pugi::xml_node paragraph : cell.children("text:p")) {
    if (!text.empty()) text += ' ';
    add_paragraph(paragraph, text, 0);
  }
  return text;
}

// What all sheets may hold together.
struct Left {
  std::size_t cells = most_cells;
  std::size_t text = std::size_t{32} << 20;
  std::size_t rows = 4 * most_rows;
};

bool take(std::size_t& left, std::size_t count) {
  if (count > left) return false;
  left -= count;
  return true;
}

class SheetOfOds {
 public:
  SheetOfOds(Grid& grid, Left& left) : grid_(grid), left_(left) {}

  bool read(const pugi::xml_node& parent, int depth = 0) {
    constexpr int deepest = 20;
    if (depth > deepest) return true;
    for (const pugi::xml_node child : parent.children()) {
      const std::string_view name = child.name();
      const bool group = name == "table:table-rows" || name == "table:table-row-group" ||
                         name == "table:table-header-rows";
      if (group && !read(child, depth + 1)) return false;
      if (name == "table:table-row" && !read_row(child)) return false;
    }
    return true;
  }

 private:
  // Empty rows and cells are written once, with a number: those at the end are not made.
  bool read_row(const pugi::xml_node& row) {
    std::vector<std::string> cells;
    std::size_t empty = 0;
    for (const pugi::xml_node cell : row.children()) {
      const std::string_view name = cell.name();
      if (name != "table:table-cell" && name != "table:covered-table-cell") continue;
      const std::size_t times = cell.attribute("table:number-columns-repeated").as_uint(1);
      const std::string text = text_of_cell(cell);
      if (text.empty()) {
        empty += times;
        continue;
      }
      if (times > most_cells || empty > most_cells || !take(left_.cells, empty + times) ||
          !take(left_.text, text.size() * times)) {
        return false;
      }
      cells.resize(cells.size() + empty);
      empty = 0;
      cells.insert(cells.end(), times, text);
    }
    const std::size_t times = row.attribute("table:number-rows-repeated").as_uint(1);
    if (!cells.empty()) {
      for (std::size_t i = 0; i < times; ++i) {
        if (!take(left_.rows, 1) || (i > 0 && !take(left_.cells, cells.size()))) return false;
        grid_.rows.push_back(cells);
        grid_.lines.push_back(line_ + i);
      }
    }
    line_ += times;
    return true;
  }

  Grid& grid_;
  Left& left_;
  std::size_t line_ = 1;
};

}  // namespace

tl::expected<std::vector<Grid>, FileError> grids_of_ods(const std::string& archive) {
  const auto text = zip_member(archive, "content.xml", largest_content);
  pugi::xml_document document;
  const unsigned how = pugi::parse_default | pugi::parse_ws_pcdata;
  if (!text || !document.load_buffer(text->data(), text->size(), how)) {
    return tl::unexpected(FileError{"is no spreadsheet that can be read: no part content.xml"});
  }
  const pugi::xml_node book =
      document.document_element().child("office:body").child("office:spreadsheet");
  std::vector<Grid> grids;
  Left left;
  for (const pugi::xml_node table : book.children("table:table")) {
    Grid grid;
    grid.name = table.attribute("table:name").value();
    grid.of_numbers = true;
    if (!SheetOfOds(grid, left).read(table)) {
      return tl::unexpected(FileError{
          fmt::format("up to sheet {} it has more than {} rows, {} cells or 32 MB of text",
                      grid.name, 4 * most_rows, most_cells)});
    }
    grids.push_back(std::move(grid));
  }
  if (grids.empty()) return tl::unexpected(FileError{"has no sheet"});
  return grids;
}

}  // namespace greymet::files::internal
