// Tables of HTML pages, through a reader of HTML5 that mends what is not closed as browsers do.
#include <gumbo.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <map>
#include <memory>
#include <span>

#include <fmt/format.h>

#include "files/csv_reader.h"
#include "files/file_source.h"
#include "files/grid.h"
#include "model/ascii_text.h"
#include "model/text_slips.h"

namespace greymet::files::internal {

namespace {

constexpr int deepest = 200;  // elements inside of each other

std::span<void* const> children_of(const GumboNode& node) {
  if (node.type != GUMBO_NODE_ELEMENT) return {};
  const GumboVector& children = node.v.element.children;
  return {children.data, children.length};
}

bool is_tag(const GumboNode& node, GumboTag tag) {
  return node.type == GUMBO_NODE_ELEMENT && node.v.element.tag == tag;
}

// All text below a node, with one blank for any run of them and for a line break.
void add_text(const GumboNode& node, std::string& out, int depth) {
  if (depth > deepest) return;
  const auto blank = [&] {
    if (!out.empty() && !out.ends_with(' ')) out += ' ';
  };
  for (void* const each : children_of(node)) {
    const auto& child = *static_cast<const GumboNode*>(each);
    if (child.type == GUMBO_NODE_TEXT) {
      out += child.v.text.text;
    } else if (child.type == GUMBO_NODE_WHITESPACE || is_tag(child, GUMBO_TAG_BR)) {
      blank();
    } else if (!is_tag(child, GUMBO_TAG_TABLE) && !is_tag(child, GUMBO_TAG_SUP) &&
               !is_tag(child, GUMBO_TAG_SCRIPT)) {
      // a small figure above is a footnote's
      if (is_tag(child, GUMBO_TAG_P)) blank();
      add_text(child, out, depth + 1);
    }
  }
}

std::string text_of(const GumboNode& node) {
  std::string text;
  add_text(node, text, 0);
  std::replace_if(
      text.begin(), text.end(), [](char c) { return c == '\n' || c == '\r' || c == '\t'; }, ' ');
  std::string out;
  for (const char c : text) {
    if (c != ' ' || !out.ends_with(' ')) out += c;
  }
  return std::string(model::trimmed(out));
}

std::size_t span_of(const GumboNode& cell, const char* name) {
  constexpr std::size_t most = 100;
  const GumboAttribute* attribute = gumbo_get_attribute(&cell.v.element.attributes, name);
  if (attribute == nullptr) return 1;
  const std::string_view text = attribute->value;
  std::size_t number = 1;
  std::from_chars(text.data(), text.data() + text.size(), number);
  return std::clamp<std::size_t>(number, 1, most);
}

std::size_t line_of(const GumboNode& node) {
  return node.v.element.start_pos.line;
}

// True where elements stand inside of each other further than any page means it: readers of HTML
// climb down there one call for each. What closes by itself does not count.
bool is_too_deep(std::string_view page) {
  constexpr std::size_t most = 2000;
  constexpr std::array<std::string_view, 20> closing_themselves{
      "area",  "base", "br", "col", "embed", "hr", "img",   "input", "link",  "meta",
      "param", "p",    "li", "td",  "th",    "tr", "thead", "tbody", "tfoot", "option"};
  std::size_t depth = 0;
  for (std::size_t at = page.find('<'); at != std::string_view::npos; at = page.find('<', at + 1)) {
    const bool closes = at + 1 < page.size() && page[at + 1] == '/';
    std::size_t end = at + (closes ? 2 : 1);
    const std::size_t first = end;
    while (end < page.size() && (model::is_letter(page[end]) || model::is_digit(page[end]))) ++end;
    const std::string name = model::in_small_letters(page.substr(first, end - first));
    if (name.empty() || std::find(closing_themselves.begin(), closing_themselves.end(), name) !=
                            closing_themselves.end()) {
      continue;
    }
    if (closes) {
      depth -= depth > 0 ? 1 : 0;
    } else if (++depth > most) {
      return true;
    }
  }
  return false;
}

class PageReader {
 public:
  bool read(const GumboNode& node, int depth = 0) {
    if (depth > deepest) return true;
    if (is_tag(node, GUMBO_TAG_TABLE)) {
      Grid grid;
      grid.name = fmt::format("table {}", grids.size() + 1);
      rows_left_.clear();
      if (!read_rows(node, grid, depth)) return false;
      grids.push_back(std::move(grid));
    }
    for (void* const each : children_of(node)) {
      if (!read(*static_cast<const GumboNode*>(each), depth + 1)) return false;
    }
    return true;
  }

  std::vector<Grid> grids;

 private:
  bool read_rows(const GumboNode& parent, Grid& grid, int depth) {
    for (void* const each : children_of(parent)) {
      const auto& child = *static_cast<const GumboNode*>(each);
      if (is_tag(child, GUMBO_TAG_CAPTION)) {
        grid.rows.push_back({text_of(child)});
        grid.lines.push_back(line_of(child));
      }
      if (is_tag(child, GUMBO_TAG_TR) && !read_row(child, grid)) return false;
      const bool group = is_tag(child, GUMBO_TAG_THEAD) || is_tag(child, GUMBO_TAG_TBODY) ||
                         is_tag(child, GUMBO_TAG_TFOOT);
      if (group && depth < deepest && !read_rows(child, grid, depth + 1)) return false;
    }
    return true;
  }

  bool read_row(const GumboNode& row, Grid& grid) {
    std::vector<std::string> cells;
    const auto fill_from_above = [&] {
      for (auto at = rows_left_.find(cells.size()); at != rows_left_.end() && at->second.first > 0;
           at = rows_left_.find(cells.size())) {
        --at->second.first;
        if (!take(at->second.second)) return false;
        cells.push_back(at->second.second);
      }
      return true;
    };
    for (void* const each : children_of(row)) {
      const auto& cell = *static_cast<const GumboNode*>(each);
      const bool heading = is_tag(cell, GUMBO_TAG_TH);
      if (!heading && !is_tag(cell, GUMBO_TAG_TD)) continue;
      if (!fill_from_above()) return false;
      const std::string text = text_of(cell);
      const std::size_t columns = span_of(cell, "colspan");
      const std::size_t rows = span_of(cell, "rowspan");
      for (std::size_t i = 0; i < columns; ++i) {
        // what spans several columns is a heading of all, or a title: a value stands once
        if (rows > 1) rows_left_[cells.size()] = {rows - 1, text};
        if (!take(text)) return false;
        cells.push_back(i == 0 || heading ? text : std::string());
      }
    }
    if (!fill_from_above()) return false;
    grid.lines.push_back(line_of(row));
    grid.rows.push_back(std::move(cells));
    return grid.rows.size() <= most_rows;
  }

  // One more cell of this text; false where it would be too many.
  bool take(const std::string& text) {
    ++cells_;
    text_ += text.size();
    return cells_ <= most_cells && text_ <= largest_map;
  }

  std::map<std::size_t, std::pair<std::size_t, std::string>> rows_left_;  // by column
  std::size_t cells_ = 0;
  std::size_t text_ = 0;
};

}  // namespace

tl::expected<std::vector<Grid>, FileError> grids_of_page(const std::string& page) {
  if (page.size() > largest_map) return tl::unexpected(FileError{"is too large for a page"});
  if (is_too_deep(page))
    return tl::unexpected(FileError{"has elements inside of each other, too deep"});
  GumboOptions options = kGumboDefaultOptions;
  options.max_errors = 0;
  const auto done = [&](GumboOutput* output) { gumbo_destroy_output(&options, output); };
  const std::unique_ptr<GumboOutput, decltype(done)> output(
      gumbo_parse_with_options(&options, page.data(), page.size()), done);
  if (output == nullptr || output->root == nullptr) {
    return tl::unexpected(FileError{"is no page that can be read"});
  }
  PageReader reader;
  if (!reader.read(*output->root)) {
    return tl::unexpected(FileError{
        fmt::format("has more than {} rows or {} cells in its tables", most_rows, most_cells)});
  }
  if (reader.grids.empty()) return tl::unexpected(FileError{"has no table"});
  return std::move(reader.grids);
}

}  // namespace greymet::files::internal
