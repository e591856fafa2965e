// Literals, names and declarations of IEC 61131-3, and a program as Structured Text.
#include <algorithm>
#include <array>

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
    case IecSection::local: return "VAR";
    case IecSection::constant: return "VAR CONSTANT";
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

std::string iec_name(std::string_view name) {
  const std::string out = model::identifier(name);
  // of ours, and of words that editions to come may keep
  const std::string small = model::in_small_letters(out);
  const bool kept =
      small.starts_with("end_") || small.starts_with("var_") || small.starts_with("gm_");
  return kept ? "v_" + out : out;
}

std::string structured_text(const IecPou& pou) {
  std::string text;
  if (!pou.comment.empty()) text += iec_comment(pou.comment) + "\n";
  text += fmt::format("{} {}", keyword(pou.kind), pou.name);
  if (!pou.returns.empty()) text += " : " + pou.returns;
  text += "\n";
  for (const IecBlock& block : pou.blocks) {
    if (block.variables.empty()) continue;
    text += fmt::format("{}\n", keyword(block.section));
    for (const IecVariable& v : block.variables) text += declaration(v);
    text += "END_VAR\n";
  }
  return text + pou.body + fmt::format("END_{}\n", keyword(pou.kind));
}

ExportedFiles export_structured_text(const ExportInput& input) {
  std::vector<ExportedFile> files;
  const std::vector<std::string> names =
      model::file_names_of(model::names_of(input.plan.plan.controllers));
  const IecPrograms programs(input);
  for (std::size_t c = 0; c < input.plan.plan.controllers.size(); ++c) {
    const IecProgram program = programs.of(model::ControllerIndex(c));
    std::string text = iec_comment(fmt::format("{} of {}", program.controller, program.title));
    text += "\n" + iec_comment("fingerprint " + program.fingerprint) + "\n";
    for (const std::string& note : program.notes) text += iec_comment(note) + "\n";
    for (const IecStruct& type : program.types) {
      text += fmt::format("\nTYPE {} :\nSTRUCT\n", type.name);
      for (const IecVariable& member : type.members) text += declaration(member);
      text += "END_STRUCT;\nEND_TYPE\n";
    }
    for (const IecPou& pou : program.pous) text += "\n" + structured_text(pou);
    files.push_back({names[c] + ".st", std::move(text)});
  }
  return files;
}

}  // namespace greymet::exports
