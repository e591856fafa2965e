#include "files/toml_reader.h"

#include <algorithm>

#include <fmt/format.h>
#include <toml++/toml.h>

#include "files/source_text.h"
#include "model/ascii_text.h"
#include "model/utf8_text.h"
#include "toml_depth.h"
#include "toml_hints.h"
#include "toml_mender.h"

namespace greymet::files {

using internal::syntax_finding;
using internal::TomlMender;
using internal::word_at;
using model::Findings;
using model::Range;
using model::RuleCode;
using model::Severity;

namespace {

constexpr std::size_t longest_line_looked_at = 20'000;  // looking costs time for each value

Range place_of(const toml::source_region& region, std::uint32_t file) {
  return {file, region.begin.line, region.begin.column, region.end.line, region.end.column};
}

// toml++ tree -> our tree, tables in the order of the file. What has been converted is released at
// once: of a large plan there is no room for both trees.
class Converter {
 public:
  Converter(const SourceText& source, const TomlMender& mender, std::uint32_t file,
            Findings& findings)
      : source_(source), mender_(mender), file_(file), findings_(findings) {}

  Value table(toml::table& in) {
    Value out;
    out.kind = ValueKind::table;
    out.place = place_of(in.source(), file_);
    out.entries.reserve(in.size());
    for (auto&& [key, node] : in) {
      const Range place = place_of(key.source(), file_);
      if (mender_.dropped_keys().contains({place.line, place.column}) ||
          std::string_view(key.str()).starts_with(TomlMender::foreign_name)) {
        continue;
      }
      out.entries.push_back({std::string(key.str()), place, value(node)});
    }
    std::sort(out.entries.begin(), out.entries.end(), [](const Entry& a, const Entry& b) {
      return std::tie(a.place, a.value.place) < std::tie(b.place, b.value.place);
    });
    in.clear();
    return out;
  }

 private:
  Value value(toml::node& node) {
    if (auto* sub = node.as_table()) return table(*sub);
    Value out;
    out.place = place_of(node.source(), file_);
    if (mender_.refused_values().contains({out.place.line, out.place.column})) {
      out.kind = ValueKind::refused;
    } else if (const auto* text = node.as_string()) {
      out.kind = ValueKind::text;
      out.text = text->get();
    } else if (const auto* integer = node.as_integer()) {
      out.kind = ValueKind::integer;
      out.integer = integer->get();
      const bool hex =
          (integer->flags() & toml::value_flags::format_as_hexadecimal) != toml::value_flags::none;
      out.text = hex ? fmt::format("0x{:X}", out.integer) : fmt::format("{}", out.integer);
      check_comment_behind(node.source(), out);
    } else if (const auto* real = node.as_floating_point()) {
      out.kind = ValueKind::real;
      out.real = real->get();
    } else if (const auto* boolean = node.as_boolean()) {
      out.kind = ValueKind::boolean;
      out.boolean = boolean->get();
    } else if (auto* array = node.as_array()) {
      out.kind = ValueKind::array;
      out.items.reserve(array->size());
      for (auto&& item : *array) out.items.push_back(value(item));
      array->clear();
    } else {
      out.kind = ValueKind::date;
    }
    return out;
  }

  // `at = 16#1000` is 16 and a comment.
  void check_comment_behind(const toml::source_region& region, const Value& number) {
    const std::string_view line = source_.line(region.end.line);
    if (line.size() > longest_line_looked_at || line.find('#') == std::string_view::npos) return;
    const std::size_t end = model::advance(line, 0, region.end.column - 1);
    if (end >= line.size() || line[end] != '#') return;
    const std::string_view word = word_at(line, end);
    findings_.push_back(
        {.rule = RuleCode::P05,
         .severity = Severity::error,
         .place = number.place,
         .subject = {},
         .message = fmt::format("TOML reads this as {} and a comment: '#' follows the number",
                                number.text),
         .remedy = fmt::format("write \"{}\" in quotes, or put a blank before a comment", word)});
  }

  const SourceText& source_;
  const TomlMender& mender_;
  std::uint32_t file_;
  Findings& findings_;
};

}  // namespace

std::optional<Value> read_toml(const std::string& text, std::uint32_t file, Findings& findings) {
  if (const std::size_t bad = model::first_bad_byte(text); bad != std::string::npos) {
    findings.push_back(syntax_finding(
        SourceText(text).range(bad, bad + 1, file),
        fmt::format("byte 0x{:02X} is no UTF-8 text", static_cast<unsigned char>(text[bad])),
        "save the file as UTF-8 text"));
    return std::nullopt;
  }
  TomlMender mender(text, file, findings);
  while (true) {
    if (const auto excess = internal::beyond_limits(mender.text())) {
      const bool deep = excess->of == internal::Excess::Of::nesting;
      findings.push_back(syntax_finding(
          SourceText(mender.text()).range(excess->at, excess->at + 1, file),
          deep ? fmt::format("lists, tables and keys nest more than {} deep",
                             internal::deepest_nesting)
               : fmt::format("more than {} keys, or entries of lists", internal::most_parts),
          deep ? "no plan needs that" : "split the plan"));
      return std::nullopt;
    }
    try {
      toml::table parsed = toml::parse(std::string_view(mender.text()));
      const SourceText source(mender.text());
      return Converter(source, mender, file, findings).table(parsed);
    } catch (const toml::parse_error& error) {
      if (!mender.mend(std::string(error.description()), error.source().begin.line,
                       error.source().begin.column)) {
        return std::nullopt;
      }
    }
  }
}

}  // namespace greymet::files
