#include "workbook_cells.h"

#include <cstdlib>
#include <vector>

#include <fmt/format.h>
#include <pugixml.hpp>

#include "files/zip_member.h"
#include "model/utf8_text.h"

namespace greymet::exports {
namespace {

constexpr std::size_t most_of_a_part = std::size_t{64} << 20;

bool read_part(std::string_view content, const std::string& name, pugi::xml_document& document) {
  const auto text = files::zip_member(content, name, most_of_a_part);
  // blanks are texts, too
  return text && document.load_buffer(text->data(), text->size(),
                                      pugi::parse_default | pugi::parse_ws_pcdata_single);
}

// An element by its name without a prefix, which programs choose as they like.
bool is_called(const pugi::xml_node& node, std::string_view name) {
  const std::string_view full = node.name();
  return full == name || (full.ends_with(name) && full.size() > name.size() &&
                          full[full.size() - name.size() - 1] == ':');
}

pugi::xml_node child(const pugi::xml_node& parent, std::string_view name) {
  for (const pugi::xml_node node : parent.children()) {
    if (is_called(node, name)) return node;
  }
  return {};
}

// All texts below, but for how they are pronounced.
void add_texts(const pugi::xml_node& node, std::string& text) {
  for (const pugi::xml_node each : node.children()) {
    if (is_called(each, "rPh")) continue;
    if (is_called(each, "t")) text += each.text().get();
    add_texts(each, text);
  }
}

std::vector<std::string> shared_strings(std::string_view content) {
  std::vector<std::string> out;
  pugi::xml_document document;
  if (!read_part(content, "xl/sharedStrings.xml", document)) return out;
  for (const pugi::xml_node item : document.document_element().children()) {
    if (!is_called(item, "si")) continue;
    add_texts(item, out.emplace_back());
  }
  return out;
}

std::string number_text(const char* written) {
  char* end = nullptr;
  const double value = std::strtod(written, &end);
  // programs write 15 digits or 17
  return end == written ? std::string(written) : fmt::format("{:.14g}", value);
}

std::string value_of(const pugi::xml_node& cell, const std::vector<std::string>& shared) {
  const std::string_view type = cell.attribute("t").as_string("n");
  std::string text;
  if (type == "inlineStr") {
    add_texts(child(cell, "is"), text);
    return text;
  }
  const char* value = child(cell, "v").text().get();
  if (type == "s") {
    const auto index = static_cast<std::size_t>(std::strtoull(value, nullptr, 10));
    return index < shared.size() ? shared[index] : std::string();
  }
  return type == "n" && *value != '\0' ? number_text(value) : std::string(value);
}

// Where the sheets are, by name.
std::map<std::string, std::string> sheets_of(std::string_view content) {
  std::map<std::string, std::string> out;
  pugi::xml_document book;
  pugi::xml_document relations;
  if (!read_part(content, "xl/workbook.xml", book) ||
      !read_part(content, "xl/_rels/workbook.xml.rels", relations)) {
    return out;
  }
  std::map<std::string, std::string> targets;
  for (const pugi::xml_node each : relations.document_element().children()) {
    std::string target = each.attribute("Target").value();
    if (target.starts_with('/')) {
      target.erase(0, 1);
    } else {
      target.insert(0, "xl/");
    }
    targets[each.attribute("Id").value()] = target;
  }
  for (const pugi::xml_node sheet : child(book.document_element(), "sheets").children()) {
    for (const pugi::xml_attribute attribute : sheet.attributes()) {
      if (std::string_view(attribute.name()).ends_with(":id")) {
        out[sheet.attribute("name").value()] = targets[attribute.value()];
      }
    }
  }
  return out;
}

}  // namespace

std::optional<WorkbookCells> workbook_cells(std::string_view content) {
  const auto sheets = sheets_of(content);
  if (sheets.empty()) return std::nullopt;
  const std::vector<std::string> shared = shared_strings(content);
  WorkbookCells out;
  for (const auto& [name, part] : sheets) {
    pugi::xml_document document;
    if (!read_part(content, part, document)) return std::nullopt;
    auto& cells = out[name];
    for (const pugi::xml_node row : child(document.document_element(), "sheetData").children()) {
      for (const pugi::xml_node cell : row.children()) {
        std::string value = value_of(cell, shared);
        if (!value.empty()) cells[cell.attribute("r").value()] = std::move(value);
      }
    }
  }
  return out;
}

std::optional<std::string> first_other_cell(const WorkbookCells& expected,
                                            const WorkbookCells& found) {
  const auto shown = [](const std::string& text) {
    constexpr std::size_t most = 60;
    return model::shortened(model::shown(text), most);
  };
  for (const auto& [sheet, cells] : expected) {
    const auto theirs = found.find(sheet);
    if (theirs == found.end()) return fmt::format("without sheet {}", shown(sheet));
    for (const auto& [at, value] : cells) {
      const auto cell = theirs->second.find(at);
      const std::string other = cell == theirs->second.end() ? "" : cell->second;
      if (other != value) {
        return fmt::format("sheet {}, {}: expected '{}', found '{}'", shown(sheet), at,
                           shown(value), shown(other));
      }
    }
    for (const auto& [at, value] : theirs->second) {
      if (!cells.contains(at)) {
        return fmt::format("sheet {}, {}: expected nothing, found '{}'", shown(sheet), at,
                           shown(value));
      }
    }
  }
  for (const auto& [sheet, cells] : found) {
    if (!expected.contains(sheet)) return fmt::format("one more sheet, {}", shown(sheet));
  }
  return std::nullopt;
}

}  // namespace greymet::exports
