// Literals, names and declarations of IEC 61131-3, and a program as Structured Text.
#include <algorithm>
#include <set>

#include <fmt/format.h>

#include "iec_program.h"
#include "model/ascii_text.h"
#include "model/duration_text.h"
#include "model/file_name.h"
#include "model/identifier.h"
#include "model/resolved_plan.h"
#include "model/text_slips.h"
#include "model/utf8_text.h"

namespace greymet::exports {
namespace {

std::string_view keyword(IecSection section) {
  switch (section) {
    case IecSection::input: return "VAR_INPUT";
    case IecSection::output: return "VAR_OUTPUT";
    case IecSection::in_out: return "VAR_IN_OUT";
    case IecSection::local: return "VAR";
    case IecSection::external: return "VAR_EXTERNAL";
    case IecSection::external_constant: return "VAR_EXTERNAL CONSTANT";
    case IecSection::global: return "VAR_GLOBAL";
    case IecSection::global_constant: return "VAR_GLOBAL CONSTANT";
  }
  return {};
}

std::string_view keyword(PouKind kind) {
  switch (kind) {
    case PouKind::function: return "FUNCTION";
    case PouKind::function_block: return "FUNCTION_BLOCK";
    case PouKind::program: return "PROGRAM";
  }
  return {};
}

std::string type_text(const IecType& type) {
  if (!type.bounds) return type.name;
  return fmt::format("ARRAY [{}..{}] OF {}", type.bounds->first, type.bounds->second, type.name);
}

std::string rows_text(const std::vector<IecRow>& rows) {
  std::string text = "[";
  for (const IecRow& row : rows) {
    text += text.size() > 1 ? ",\n    (" : "\n    (";
    for (std::size_t i = 0; i < row.size(); ++i) {
      text += fmt::format("{}{} := {}", i > 0 ? ", " : "", row[i].first, row[i].second);
    }
    text += ")";
  }
  return text + "]";
}

std::string declaration(const IecVariable& v) {
  std::string text = "  " + v.name;
  if (!v.at.empty()) text += " AT " + v.at;
  text += " : " + type_text(v.type);
  if (!v.rows.empty()) text += " := " + rows_text(v.rows);
  if (!v.initial.empty()) text += " := " + v.initial;
  text += ";";
  if (!v.comment.empty()) text += "  " + iec_comment(v.comment);
  return text + "\n";
}

}  // namespace

std::string iec_comment(std::string_view text) {
  std::string out;
  for (const char c : model::shown(text)) {
    // neither an end nor, where comments nest, a beginning
    if ((c == ')' && out.ends_with('*')) || (c == '*' && out.ends_with('('))) out += ' ';
    out += c;
  }
  return "(* " + out + " *)";
}

std::string iec_string(std::string_view text) {
  std::string out = "'";
  for (const char c : text) {
    const auto code = static_cast<unsigned char>(c);
    if (c == '$' || c == '\'') {
      out += '$';
      out += c;
    } else if (code < 0x20 || code > 0x7e) {
      out += fmt::format("${:02X}", code);
    } else {
      out += c;
    }
  }
  return out + "'";
}

std::string iec_real(std::string_view type, double value) {
  std::string text = fmt::format("{}", value);
  const std::size_t e = text.find('e');
  std::string exponent;
  if (e != std::string::npos) {
    exponent = fmt::format("E{}", std::stoi(text.substr(e + 1)));
    text.resize(e);
  }
  if (text.find('.') == std::string::npos) text += ".0";
  return fmt::format("{}#{}{}", type, text, exponent);
}

std::string iec_time(model::Duration duration) {
  return "T#" + model::ms_digits(duration) + "ms";
}

std::string in_capitals(std::string text) {
  std::transform(text.begin(), text.end(), text.begin(), [](char c) {
    return c >= 'a' && c <= 'z' ? static_cast<char>(c - 'a' + 'A') : c;
  });
  return text;
}

std::string iec_name(std::string_view name) {
  const std::string out = model::identifier(name);
  // of ours, and of words that editions to come may keep
  const std::string small = model::in_small_letters(out);
  const bool kept =
      small.starts_with("end_") || small.starts_with("var_") || small.starts_with("gm_");
  return kept ? "v_" + out : out;
}

IecVariable iec_variable(const std::string& name, const std::string& type,
                         const std::string& comment) {
  return {name, {type, {}}, {}, {}, {}, comment};
}

IecVariable iec_array(const std::string& name, const std::string& type, std::size_t size) {
  IecVariable v = iec_variable(name, type);
  v.type.bounds = {0, size - 1};
  return v;
}

IecConfiguration configuration_of(const IecProgram& program) {
  return {program.program.name + "_plc"};
}

namespace {

std::string sections_text(const std::vector<IecBlock>& blocks) {
  std::string text;
  for (const IecBlock& block : blocks) {
    if (block.variables.empty()) continue;
    text += fmt::format("{}\n", keyword(block.section));
    for (const IecVariable& v : block.variables) text += declaration(v);
    text += "END_VAR\n";
  }
  return text;
}

std::string structured_text(const IecPou& pou) {
  std::string text;
  if (!pou.comment.empty()) text += iec_comment(pou.comment) + "\n";
  text += fmt::format("{} {}", keyword(pou.kind), pou.name);
  if (!pou.returns.empty()) text += " : " + pou.returns;
  return text + "\n" + sections_text(pou.blocks) + pou.body +
         fmt::format("END_{}\n", keyword(pou.kind));
}

std::string structured_text(const IecStruct& type) {
  std::string text = type.comment.empty() ? "" : iec_comment(type.comment) + "\n";
  text += fmt::format("TYPE {} :\nSTRUCT\n", type.name);
  for (const IecVariable& member : type.members) text += declaration(member);
  return text + "END_STRUCT;\nEND_TYPE\n";
}

// What runs when, and all that programs share.
std::string configuration_text(const IecProgram& program) {
  const IecConfiguration c = configuration_of(program);
  return fmt::format(
      "CONFIGURATION {}\n{}RESOURCE {} ON PLC\n  TASK {}(INTERVAL := {}, PRIORITY := 1);\n"
      "  PROGRAM {} WITH {} : {};\nEND_RESOURCE\nEND_CONFIGURATION\n",
      c.name, sections_text(program.globals), c.resource, c.task, iec_time(program.scan),
      c.instance, c.task, program.program.name);
}

// Types and blocks of several controllers, each once.
class Parts {
 public:
  void add(const IecPart& part) {
    for (const IecStruct& type : part.types) {
      if (known_.insert(type.name).second) types_ += "\n" + structured_text(type);
    }
    for (const IecPou& pou : part.pous) {
      if (known_.insert(pou.name).second) pous_ += "\n" + structured_text(pou);
    }
  }
  [[nodiscard]] bool empty() const { return known_.empty(); }
  [[nodiscard]] std::string text() const { return types_ + pous_; }

 private:
  std::set<std::string> known_;
  std::string types_;
  std::string pous_;
};

std::string head(const std::string& what, const std::string& fingerprint) {
  return iec_comment(what) + "\n" + iec_comment("fingerprint " + fingerprint) + "\n";
}

}  // namespace

ExportedFiles export_structured_text(const ExportInput& input) {
  std::vector<ExportedFile> files;
  // a controller may be called like one of the two files that all share
  std::vector<std::string> wanted{"library", "maps"};
  for (const std::string& name : model::names_of(input.plan.plan.controllers))
    wanted.push_back(name);
  const std::vector<std::string> names = model::file_names_of(wanted);
  const IecPrograms programs(input);
  Parts library;
  Parts maps;
  std::string title;
  for (std::size_t c = 0; c < input.plan.plan.controllers.size(); ++c) {
    const IecProgram program = programs.of(model::ControllerIndex(c));
    library.add(program.library);
    maps.add(program.maps);
    title = program.title;
    std::string text =
        head(fmt::format("{} of {}", program.controller, program.title), input.fingerprint);
    for (const std::string& note : program.notes) text += iec_comment(note) + "\n";
    for (const IecStruct& type : program.types) text += "\n" + structured_text(type);
    text += "\n" + structured_text(program.program) + "\n" + configuration_text(program);
    files.push_back({names[c + 2] + ".st", std::move(text)});
  }
  if (!maps.empty()) {
    files.insert(
        files.begin(),
        {names[1] + ".st",
         head("values of slaves, by their maps, for " + title, input.fingerprint) + maps.text()});
  }
  if (!library.empty()) {
    files.insert(
        files.begin(),
        {names[0] + ".st",
         head("types and functions for programs of " + title, input.fingerprint) + library.text()});
  }
  return files;
}

}  // namespace greymet::exports
