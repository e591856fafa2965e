#include "model/identifier.h"

#include <algorithm>
#include <array>
#include <cstdint>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::model {
namespace {

std::string in_small(std::string text) {
  for (char& c : text) {
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
  }
  return text;
}

// "int_to_real", "bcd_to_int", "word_bcd_to_uint": both ends are types.
bool is_conversion(std::string_view small) {
  constexpr std::array<std::string_view, 24> types{
      "bcd",   "bool", "byte",  "char",  "date",  "date_and_time", "dint", "dt",
      "dword", "int",  "lint",  "lreal", "lword", "real",          "sint", "string",
      "time",  "tod",  "udint", "uint",  "ulint", "usint",         "word", "wstring"};
  const std::size_t to = small.find("_to_");
  const auto is_type = [&](std::string_view word) {
    return std::find(types.begin(), types.end(), word) != types.end();
  };
  return is_type(small.substr(0, to)) && is_type(small.substr(to + 4));
}

}  // namespace

bool is_kept_by_iec(std::string_view word) {
  // clang-format off
  static constexpr std::array<std::string_view, 235> kept{
    "abs", "acos", "action", "add", "and", "and_ltime", "andn", "any", "any_bit", "any_date",
    "any_derived", "any_duration", "any_elementary", "any_int", "any_magnitude", "any_num",
    "any_real", "any_string", "array", "asin", "assert", "at", "atan", "atan2", "bool", "by",
    "byte", "cal", "calc", "case", "ceil", "char", "class", "concat", "configuration",
    "constant", "continue", "cos", "ctd", "ctd_dint", "ctd_lint", "ctd_udint", "ctd_ulint",
    "ctu", "ctu_dint", "ctu_lint", "ctu_udint", "ctu_ulint", "ctud", "date", "date_and_time",
    "day_of_week", "delete", "dint", "div", "divtime", "do", "ds", "dt", "dword", "else",
    "elsif", "en", "end_action", "end_case", "end_class", "end_configuration", "end_for",
    "end_function", "end_function_block", "end_if", "end_interface", "end_method",
    "end_namespace", "end_program", "end_repeat", "end_resource", "end_step", "end_struct",
    "end_transition", "end_type", "end_var", "end_while", "eno", "eq", "exit", "exp", "expt",
    "extends", "f_edge", "f_trig", "false", "final", "find", "for", "from", "function",
    "function_block", "ge", "global", "gt", "if", "implements", "in", "initial_step", "insert",
    "int", "interface", "internal", "is_valid", "jmp", "jmpc", "jmpcn", "ld", "ldate", "ldn",
    "ldt", "le", "left", "len", "limit", "lint", "ln", "log", "lower_bound", "lreal", "lt",
    "ltime", "ltod", "lword", "max", "method", "mid", "min", "mod", "move", "mul", "multime",
    "mux", "namespace", "ndn", "ne", "neg", "non_retain", "not", "nt", "null", "of", "on", "or",
    "orn", "overlap", "override", "pointer", "priority", "private", "program", "protected",
    "public", "r_edge", "r_trig", "read_only", "read_write", "real", "ref", "ref_to",
    "reference", "repeat", "replace", "resource", "ret", "retain", "retc", "retcn", "return",
    "right", "rol", "ror", "round", "rs", "rtc", "sel", "sema", "shl", "shr", "sin", "single",
    "sint", "sqrt", "sr", "st", "step", "stn", "string", "struct", "sub", "super", "tan",
    "task", "then", "this", "time", "time_of_day", "to", "tod", "tof", "ton", "tp",
    "transition", "true", "trunc", "type", "udint", "uint", "ulint", "until", "upper_bound",
    "using", "usint", "var", "var_access", "var_config", "var_external", "var_global",
    "var_in_out", "var_input", "var_output", "var_temp", "wchar", "while", "with", "word",
    "wstring", "xor", "xorn"};
  // clang-format on
  const std::string small = in_small(std::string(word));
  if (std::binary_search(kept.begin(), kept.end(), small)) return true;
  // conversions, INT_TO_REAL and BCD_TO_INT, and REAL_TRUNC_INT
  return small.find("_to_") != std::string::npos && is_conversion(small);
}

std::string identifier(std::string_view name) {
  std::string out;
  for (const char c : name) {
    if (is_letter(c) || is_digit(c)) {
      out += c;
    } else if (!out.empty() && out.back() != '_') {
      out += '_';
    }
  }
  while (!out.empty() && out.back() == '_') out.pop_back();
  if (out.empty()) return "v";
  if (!is_letter(out.front())) out.insert(0, "v_");
  constexpr std::size_t longest = 60;
  if (out.size() > longest) {
    std::uint32_t hash = 2166136261U;  // FNV-1a
    for (const char c : name) hash = (hash ^ static_cast<unsigned char>(c)) * 16777619U;
    out.resize(longest - 9);
    while (out.ends_with('_')) out.pop_back();
    out += fmt::format("_{:08x}", hash);
  }
  return is_kept_by_iec(out) ? "v_" + out : out;
}

std::string UniqueNames::take(const std::string& name) {
  std::string given = name;
  if (taken_.insert(in_small(given)).second) return given;
  int& number = numbers_.try_emplace(in_small(name), 1).first->second;
  do {
    given = fmt::format("{}_{}", name, ++number);
  } while (!taken_.insert(in_small(given)).second);
  return given;
}

}  // namespace greymet::model
