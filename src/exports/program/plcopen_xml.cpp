// PLCopen TC6 XML, version 2.01: the program of iec_program.h for import into other systems.
#include <algorithm>
#include <array>
#include <sstream>
#include <string_view>

#include <fmt/format.h>
#include <pugixml.hpp>

#include "iec_program.h"
#include "model/ascii_text.h"
#include "model/file_name.h"
#include "model/resolved_plan.h"
#include "model/utf8_text.h"

namespace greymet::exports {
namespace {

// The format wants a time; the same plan has to give the same bytes.
constexpr const char* no_time = "2000-01-01T00:00:00";
constexpr const char* exchange_format = "2";  // not the program's, or files would change with it
constexpr const char* xhtml = "http://www.w3.org/1999/xhtml";

pugi::xml_node child(pugi::xml_node parent, const char* name,
                     std::initializer_list<std::pair<const char*, std::string>> attributes = {}) {
  pugi::xml_node node = parent.append_child(name);
  for (const auto& [key, value] : attributes) node.append_attribute(key).set_value(value.c_str());
  return node;
}

// Text of people: <xhtml:p> as TC6 wants it.
void add_words(pugi::xml_node parent, const char* name, const std::string& text) {
  if (text.empty()) return;
  pugi::xml_node p = child(child(parent, name), "xhtml:p", {{"xmlns:xhtml", xhtml}});
  p.text().set(model::shown(text).c_str());
}

bool is_elementary(std::string_view name) {
  constexpr std::array<std::string_view, 13> all{"BOOL", "WORD",  "DWORD", "LWORD", "INT",
                                                 "UINT", "DINT",  "UDINT", "LINT",  "ULINT",
                                                 "REAL", "LREAL", "TIME"};
  return std::find(all.begin(), all.end(), name) != all.end();
}

void add_elementary(pugi::xml_node parent, const std::string& name) {
  if (name.starts_with("STRING[")) {
    child(parent, "string", {{"length", name.substr(7, name.size() - 8)}});
  } else if (is_elementary(name)) {
    child(parent, name.c_str());
  } else {
    child(parent, "derived", {{"name", name}});
  }
}

void add_type(pugi::xml_node parent, const IecType& type) {
  if (!type.bounds) return add_elementary(parent, type.name);
  pugi::xml_node array = child(parent, "array");
  child(array, "dimension",
        {{"lower", std::to_string(type.bounds->first)},
         {"upper", std::to_string(type.bounds->second)}});
  add_elementary(child(array, "baseType"), type.name);
}

void add_initial(pugi::xml_node variable, const IecVariable& v) {
  if (v.rows.empty() && v.initial.empty()) return;
  pugi::xml_node initial = child(variable, "initialValue");
  if (!v.initial.empty()) {
    child(initial, "simpleValue", {{"value", v.initial}});
    return;
  }
  pugi::xml_node array = child(initial, "arrayValue");
  for (const IecRow& row : v.rows) {
    pugi::xml_node structure = child(child(array, "value"), "structValue");
    for (const auto& [member, value] : row) {
      child(child(structure, "value", {{"member", member}}), "simpleValue", {{"value", value}});
    }
  }
}

void add_variable(pugi::xml_node parent, const IecVariable& v) {
  pugi::xml_node variable = child(parent, "variable", {{"name", v.name}});
  if (!v.at.empty()) variable.append_attribute("address").set_value(v.at.c_str());
  add_type(child(variable, "type"), v.type);
  add_initial(variable, v);
  add_words(variable, "documentation", v.comment);
}

const char* element_of(IecSection section) {
  switch (section) {
    case IecSection::input: return "inputVars";
    case IecSection::output: return "outputVars";
    case IecSection::in_out: return "inOutVars";
    case IecSection::external:
    case IecSection::external_constant: return "externalVars";
    case IecSection::global:
    case IecSection::global_constant: return "globalVars";
    case IecSection::local: break;
  }
  return "localVars";
}

void add_sections(pugi::xml_node parent, const std::vector<IecBlock>& blocks) {
  for (const IecBlock& block : blocks) {
    if (block.variables.empty()) continue;
    pugi::xml_node vars = child(parent, element_of(block.section));
    const bool constant = block.section == IecSection::external_constant ||
                          block.section == IecSection::global_constant;
    if (constant) vars.append_attribute("constant").set_value("true");
    for (const IecVariable& v : block.variables) add_variable(vars, v);
  }
}

void add_pou(pugi::xml_node pous, const IecPou& p) {
  const char* kind = p.kind == PouKind::function         ? "function"
                     : p.kind == PouKind::function_block ? "functionBlock"
                                                         : "program";
  pugi::xml_node pou = child(pous, "pou", {{"name", p.name}, {"pouType", kind}});
  pugi::xml_node interface = child(pou, "interface");
  if (!p.returns.empty()) add_elementary(child(interface, "returnType"), p.returns);
  add_sections(interface, p.blocks);
  add_words(interface, "documentation", p.comment);
  pugi::xml_node text = child(child(child(pou, "body"), "ST"), "xhtml:p", {{"xmlns:xhtml", xhtml}});
  text.text().set(p.body.c_str());
}

void add_structure(pugi::xml_node types, const IecStruct& type) {
  pugi::xml_node data_type = child(types, "dataType", {{"name", type.name}});
  pugi::xml_node structure = child(child(data_type, "baseType"), "struct");
  for (const IecVariable& member : type.members) add_variable(structure, member);
  add_words(data_type, "documentation", type.comment);
}

void add_configuration(pugi::xml_node configurations, const IecProgram& program) {
  const IecConfiguration c = configuration_of(program);
  pugi::xml_node configuration = child(configurations, "configuration", {{"name", c.name}});
  pugi::xml_node resource = child(configuration, "resource", {{"name", std::string(c.resource)}});
  pugi::xml_node task = child(
      resource, "task",
      {{"name", std::string(c.task)}, {"priority", "1"}, {"interval", iec_time(program.scan)}});
  child(task, "pouInstance",
        {{"name", std::string(c.instance)}, {"typeName", program.program.name}});
  add_sections(configuration, program.globals);
}

std::string document_of(const IecProgram& program, const std::string& revision) {
  pugi::xml_document document;
  pugi::xml_node declaration = document.append_child(pugi::node_declaration);
  declaration.append_attribute("version").set_value("1.0");
  declaration.append_attribute("encoding").set_value("utf-8");
  pugi::xml_node project =
      child(document.root(), "project", {{"xmlns", "http://www.plcopen.org/xml/tc6_0201"}});
  child(project, "fileHeader",
        {{"companyName", "greymet"},
         {"productName", "greymet"},
         {"productVersion", exchange_format},
         {"creationDateTime", no_time},
         {"contentDescription", model::shown(program.fingerprint)}});
  pugi::xml_node content = child(project, "contentHeader", {{"name", model::shown(program.title)}});
  if (!revision.empty())
    content.append_attribute("version").set_value(model::shown(revision).c_str());
  std::string notes;
  for (const std::string& note : program.notes) notes += (notes.empty() ? "" : "; ") + note;
  pugi::xml_node comment = child(content, "Comment");
  comment.text().set(model::shown(notes).c_str());
  pugi::xml_node coordinates = child(content, "coordinateInfo");
  for (const char* diagram : {"fbd", "ld", "sfc"}) {
    child(child(coordinates, diagram), "scaling", {{"x", "1"}, {"y", "1"}});
  }
  pugi::xml_node types = child(project, "types");
  pugi::xml_node data_types = child(types, "dataTypes");
  for (const auto* all : {&program.library.types, &program.maps.types, &program.types}) {
    for (const IecStruct& type : *all) add_structure(data_types, type);
  }
  pugi::xml_node pous = child(types, "pous");
  for (const auto* all : {&program.library.pous, &program.maps.pous}) {
    for (const IecPou& pou : *all) add_pou(pous, pou);
  }
  add_pou(pous, program.program);
  add_configuration(child(child(project, "instances"), "configurations"), program);
  std::ostringstream out;
  document.save(out, "  ", pugi::format_indent, pugi::encoding_utf8);
  return out.str();
}

}  // namespace

ExportedFiles export_plcopen(const ExportInput& input) {
  std::vector<ExportedFile> files;
  const auto& revision = input.plan.plan.revision;
  const std::vector<std::string> names =
      model::file_names_of(model::names_of(input.plan.plan.controllers));
  const IecPrograms programs(input);
  for (std::size_t c = 0; c < input.plan.plan.controllers.size(); ++c) {
    const IecProgram program = programs.of(model::ControllerIndex(c));
    files.push_back({names[c] + ".plcopen.xml",
                     document_of(program, revision ? revision->value : std::string())});
  }
  return files;
}

}  // namespace greymet::exports
