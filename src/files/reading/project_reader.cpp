// Variables of a PLCopen XML project (TC6, 2.01): globals and those of units, at addresses.
#include <algorithm>

#include <pugixml.hpp>

#include "declared_types.h"
#include "files/declarations.h"
#include "model/text_slips.h"

namespace greymet::files {

namespace {

using internal::DeclaredType;
using internal::DeclaredVariable;
using internal::TagMaker;

constexpr int deepest_node = 64;

std::string_view local_name(const pugi::xml_node& node) {
  const std::string_view name = node.name();
  const std::size_t colon = name.find(':');
  return colon == std::string_view::npos ? name : name.substr(colon + 1);
}

pugi::xml_node child_named(const pugi::xml_node& node, std::string_view name) {
  for (const pugi::xml_node child : node.children()) {
    if (local_name(child) == name) return child;
  }
  return {};
}

// <type><array>..., <derived name=>, <string length=>, <INT/>
DeclaredType type_of_node(const pugi::xml_node& type, int depth) {
  DeclaredType out;
  if (depth > deepest_node) return out;
  pugi::xml_node of;
  for (const pugi::xml_node child : type.children()) {
    if (child.type() == pugi::node_element) {
      of = child;
      break;
    }
  }
  const std::string_view name = local_name(of);
  if (name == "array") {
    DeclaredType element = type_of_node(child_named(of, "baseType"), depth + 1);
    std::vector<pugi::xml_node> dimensions;
    for (const pugi::xml_node child : of.children()) {
      if (local_name(child) == "dimension") dimensions.push_back(child);
    }
    std::reverse(dimensions.begin(), dimensions.end());
    for (const pugi::xml_node dimension : dimensions) {
      DeclaredType array;
      array.first = dimension.attribute("lower").as_llong();
      array.last = dimension.attribute("upper").as_llong(-1);
      array.of = std::make_shared<DeclaredType>(std::move(element));
      element = std::move(array);
    }
    return element;
  }
  if (name == "struct") {
    for (const pugi::xml_node member : of.children()) {
      if (local_name(member) != "variable") continue;
      out.members.push_back(
          {member.attribute("name").value(), type_of_node(child_named(member, "type"), depth + 1)});
    }
    return out;
  }
  out.name = name == "derived" ? std::string(of.attribute("name").value()) : std::string(name);
  if (name == "string") {
    constexpr unsigned longest = 250;
    const unsigned length = of.attribute("length").as_uint();
    out.characters = length <= longest ? length : 0;
  }
  return out;
}

class ProjectReader {
 public:
  ProjectReader(const std::string& text, std::uint32_t file, TagMaker& maker)
      : file_(file), maker_(maker) {
    for (std::size_t at = 0; at < text.size(); ++at) {
      if (text[at] == '\n') ends_of_lines_.push_back(at);
    }
  }

  void read_types(const pugi::xml_node& node, int depth = 0) {
    if (depth > deepest_node) return;
    for (const pugi::xml_node child : node.children()) {
      if (local_name(child) == "dataType") {
        maker_.declare(child.attribute("name").value(),
                       type_of_node(child_named(child, "baseType"), 0));
      }
      read_types(child, depth + 1);
    }
  }

  void read_variables(const pugi::xml_node& node, int depth = 0) {
    if (depth > deepest_node) return;
    for (const pugi::xml_node child : node.children()) {
      if (local_name(child) == "variable" && child.attribute("address")) {
        DeclaredVariable variable;
        variable.name = child.attribute("name").value();
        variable.place = line_of(child);
        variable.address = {child.attribute("address").value(), variable.place};
        variable.type = type_of_node(child_named(child, "type"), 0);
        maker_.add(variable);
      }
      read_variables(child, depth + 1);
    }
  }

 private:
  [[nodiscard]] model::Range line_of(const pugi::xml_node& node) const {
    const auto offset = static_cast<std::size_t>(std::max<std::ptrdiff_t>(node.offset_debug(), 0));
    const auto at = std::lower_bound(ends_of_lines_.begin(), ends_of_lines_.end(), offset);
    const auto line = static_cast<std::uint32_t>(at - ends_of_lines_.begin() + 1);
    return {file_, line, 1, line, 1};
  }

  std::uint32_t file_;
  TagMaker& maker_;
  std::vector<std::size_t> ends_of_lines_;
};

}  // namespace

bool looks_like_project(std::string_view text) {
  const std::size_t first = text.find_first_not_of("\xEF\xBB\xBF \t\r\n");
  return first != std::string_view::npos && text[first] == '<' &&
         text.substr(0, 4096).find("project") != std::string_view::npos;
}

model::TagTable read_project(const std::string& text, const std::string& name, std::uint32_t file,
                             const std::vector<std::string>& areas, const model::Subject& subject,
                             model::Findings& findings) {
  model::TagTable out;
  out.file = name;
  pugi::xml_document document;
  const pugi::xml_parse_result result = document.load_buffer(text.data(), text.size());
  if (!result) {
    out.incomplete = true;
    findings.push_back({.rule = model::RuleCode::P07,
                        .severity = model::Severity::error,
                        .place = {file, 1, 1, 1, 1},
                        .subject = subject,
                        .message = std::string("is no XML: ") + result.description(),
                        .remedy = "export the project again"});
    return out;
  }
  TagMaker maker(areas, subject, findings, out);
  ProjectReader reader(text, file, maker);
  reader.read_types(document);
  reader.read_variables(document);
  return out;
}

}  // namespace greymet::files
