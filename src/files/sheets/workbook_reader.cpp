// Sheets of an XLSX file: a ZIP archive of XML parts (ECMA-376).
#include <algorithm>
#include <charconv>
#include <cmath>
#include <map>

#include <fmt/format.h>
#include <pugixml.hpp>

#include "files/workbook.h"
#include "files/zip_member.h"
#include "model/ascii_text.h"

namespace greymet::files {
namespace {

// A tree of XML takes some 15 times its text.
constexpr std::size_t largest_part = std::size_t{20} << 20;
constexpr std::size_t most_text = std::size_t{32} << 20;  // in all cells together
constexpr std::size_t most_sheets = 100;

tl::unexpected<FileError> no_workbook(std::string why) {
  return tl::unexpected(FileError{"is no workbook that can be read: " + std::move(why)});
}

std::optional<pugi::xml_document> part_of(const std::string& archive, const std::string& name) {
  const auto text = zip_member(archive, name, largest_part);
  if (!text) return std::nullopt;
  pugi::xml_document document;
  // nothing outside is ever loaded: pugixml knows no external entities
  if (!document.load_buffer(text->data(), text->size(),
                            pugi::parse_default | pugi::parse_ws_pcdata)) {
    return std::nullopt;
  }
  return document;
}

// The name behind the prefix: parts may use any.
std::string_view local(const pugi::xml_node& node) {
  const std::string_view name = node.name();
  return name.substr(name.find(':') == std::string_view::npos ? 0 : name.find(':') + 1);
}

template <class Visit>
void each_child(const pugi::xml_node& node, std::string_view name, const Visit& visit) {
  for (const pugi::xml_node child : node.children()) {
    if (local(child) == name) visit(child);
  }
}

pugi::xml_node first_child(const pugi::xml_node& node, std::string_view name) {
  for (const pugi::xml_node child : node.children()) {
    if (local(child) == name) return child;
  }
  return {};
}

// "_x000D_" -> the character that XML cannot hold (ECMA-376, part 1, 22.9.2.19); "_x005F_" is how
// an underscore before such a text is written. A NUL stays as it is written.
std::string unescaped(std::string_view text) {
  constexpr std::size_t length = 7;
  std::string out;
  for (std::size_t at = 0; at < text.size();) {
    const std::string_view piece = text.substr(at, length);
    unsigned code = 0;
    const bool escape =
        piece.size() == length && piece.starts_with("_x") && piece.ends_with('_') &&
        std::from_chars(piece.data() + 2, piece.data() + 6, code, 16).ptr == piece.data() + 6;
    constexpr unsigned ascii = 0x80;
    if (escape && code > 0 && code < ascii) {
      out += static_cast<char>(code);
      at += length;
    } else {
      out += text[at++];
    }
  }
  return out;
}

// All <t> of a string item, plain or in runs.
std::string text_of(const pugi::xml_node& item) {
  std::string text;
  each_child(item, "t", [&](const auto& t) { text += t.text().get(); });
  each_child(item, "r", [&](const auto& run) {
    each_child(run, "t", [&](const auto& t) { text += t.text().get(); });
  });
  return text.find("_x") == std::string::npos ? text : unescaped(text);
}

// "17.399999999999999" is how programs save 17.4.
std::string number_text(std::string text) {
  double value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc() || end != text.data() + text.size() || !std::isfinite(value))
    return text;
  constexpr double exact = 9007199254740992.0;
  if (value == std::floor(value) && std::abs(value) < exact) {
    return fmt::format("{}", static_cast<std::int64_t>(value));
  }
  return fmt::format("{:.15g}", value);
}

// "BC12" -> 54: the column, from 0.
std::optional<std::size_t> column_of(std::string_view reference) {
  constexpr std::size_t most_columns = 16'384;
  std::size_t column = 0;
  std::size_t letters = 0;
  for (const char c : reference) {
    if (!model::is_letter(c)) break;
    column = column * 26 + static_cast<std::size_t>((c | 0x20) - 'a') + 1;
    if (column > most_columns) return std::nullopt;
    ++letters;
  }
  return letters == 0 ? std::nullopt : std::optional(column - 1);
}

// What all sheets of a workbook may hold together.
struct Budget {
  std::size_t cells = most_cells;
  std::size_t text = most_text;
  std::size_t rows = 4 * most_rows;
};

class SheetReader {
 public:
  SheetReader(const std::vector<std::string>& shared, Budget& left)
      : shared_(shared), left_(left) {}

  // Nothing where it is too large.
  std::optional<std::vector<std::vector<std::string>>> read(const pugi::xml_document& part) {
    std::vector<std::vector<std::string>> rows;
    const pugi::xml_node data = first_child(part.document_element(), "sheetData");
    for (const pugi::xml_node row : data.children()) {
      if (local(row) != "row") continue;
      const std::size_t number = row.attribute("r").as_uint(static_cast<unsigned>(rows.size() + 1));
      if (number > most_rows || number == 0) return std::nullopt;
      if (rows.size() < number) {
        if (!take(left_.rows, number - rows.size())) return std::nullopt;
        rows.resize(number);
      }
      if (!read_row(row, rows[number - 1])) return std::nullopt;
    }
    while (!rows.empty() && rows.back().empty()) rows.pop_back();
    return rows;
  }

 private:
  bool read_row(const pugi::xml_node& row, std::vector<std::string>& cells) {
    for (const pugi::xml_node cell : row.children()) {
      if (local(cell) != "c") continue;
      const std::string text = cell_text(cell);
      const pugi::xml_attribute reference = cell.attribute("r");
      const auto column = reference ? column_of(reference.value()) : std::optional(cells.size());
      if (!column) return false;
      if (text.empty()) continue;
      // one shared text may stand in many cells
      if (!take(left_.text, text.size())) return false;
      if (cells.size() <= *column) {
        if (!take(left_.cells, *column + 1 - cells.size())) return false;
        cells.resize(*column + 1);
      }
      cells[*column] = text;
    }
    return true;
  }

  std::string cell_text(const pugi::xml_node& cell) const {
    const std::string_view type = cell.attribute("t").value();
    if (type == "inlineStr") return text_of(first_child(cell, "is"));
    const std::string value = first_child(cell, "v").text().get();
    if (type == "s") {
      std::size_t index = 0;
      const auto [end, error] = std::from_chars(value.data(), value.data() + value.size(), index);
      const bool known =
          error == std::errc() && end == value.data() + value.size() && index < shared_.size();
      return known ? shared_[index] : std::string();
    }
    if (type == "b") return value == "1" ? "true" : "false";
    return type.empty() || type == "n" ? number_text(value) : value;
  }

  static bool take(std::size_t& left, std::size_t count) {
    if (count > left) return false;
    left -= count;
    return true;
  }

  const std::vector<std::string>& shared_;
  Budget& left_;
};

}  // namespace

tl::expected<std::vector<Sheet>, FileError> read_workbook(const std::string& content) {
  const auto workbook = part_of(content, "xl/workbook.xml");
  if (!workbook) return no_workbook("no part xl/workbook.xml");
  std::map<std::string, std::string> targets;
  if (const auto relations = part_of(content, "xl/_rels/workbook.xml.rels")) {
    each_child(relations->document_element(), "Relationship", [&](const auto& relation) {
      std::string target = relation.attribute("Target").value();
      if (!target.starts_with('/')) target.insert(0, "/xl/");
      targets[relation.attribute("Id").value()] = target.substr(1);
    });
  }
  std::vector<std::string> shared;
  if (const auto strings = part_of(content, "xl/sharedStrings.xml")) {
    each_child(strings->document_element(), "si",
               [&](const auto& item) { shared.push_back(text_of(item)); });
  }
  std::vector<Sheet> sheets;
  Budget left;
  std::string trouble;
  each_child(first_child(workbook->document_element(), "sheets"), "sheet", [&](const auto& sheet) {
    if (sheets.size() >= most_sheets || !trouble.empty()) return;
    std::string id;
    for (const pugi::xml_attribute attribute : sheet.attributes()) {
      if (std::string_view(attribute.name()).ends_with(":id")) id = attribute.value();
    }
    const std::string name = sheet.attribute("name").value();
    const auto part = part_of(content, targets[id]);
    if (!part) return;  // a chart, or damaged: others may do
    auto rows = SheetReader(shared, left).read(*part);
    if (!rows) {
      trouble = fmt::format("up to sheet {} it has more than {} rows, {} cells or {} MB of text",
                            name, most_rows, most_cells, most_text >> 20);
      return;
    }
    sheets.push_back({name, std::move(*rows)});
  });
  if (!trouble.empty()) return no_workbook(trouble);
  if (sheets.empty()) return no_workbook("it has no sheet");
  return sheets;
}

}  // namespace greymet::files
