#include "checks/catalogue.h"

#include <algorithm>
#include <array>
#include <vector>

#include <fmt/format.h>

#include "common/catalogue_families.h"

namespace greymet::checks {

namespace {

constexpr std::array all_families{
    RuleFamily{'P', "the plan file"},
    RuleFamily{'S', "settings of serial lines"},
    RuleFamily{'N', "network and identity"},
    RuleFamily{'F', "function codes and addresses"},
    RuleFamily{'M', "memory and overlaps"},
    RuleFamily{'T', "time"},
    RuleFamily{'H', "heartbeats and supervision"},
    RuleFamily{'D', "data"},
    RuleFamily{'C', "what the controller can do"},
    RuleFamily{'R', "register maps against themselves and each other"},
    RuleFamily{'V', "both ends: what devices send and what programs expect"},
    RuleFamily{'A', "what verdicts rest on that the plan does not say"},
};

std::vector<RuleEntry> joined() {
  using namespace internal;
  std::vector<RuleEntry> all;
  for (const auto part :
       {plan_entries(), settings_entries(), network_entries(), functions_entries(),
        memory_entries(), time_entries(), heartbeats_entries(), data_entries(),
        capabilities_entries(), maps_entries(), tags_entries(), assumption_entries()}) {
    all.insert(all.end(), part.begin(), part.end());
  }
  return all;
}

std::string code_block(std::string_view example) {
  const std::size_t gap = example.find("\n\n");  // a plan, and a table behind it
  if (gap != std::string_view::npos) {
    return code_block(example.substr(0, gap)) + code_block(example.substr(gap + 2));
  }
  const bool map = example.starts_with("point,") || example.starts_with("tag,");
  return fmt::format("```{}\n{}\n```\n", map ? "csv" : "toml", example);
}

// " Silent where F02 or F06 speaks about the same thing."
std::string silence_text(const RuleEntry& rule) {
  std::string text;
  for (const RuleCode code : rule.silenced_by) {
    text += fmt::format("{}{}", text.empty() ? "" : " or ", to_string(code));
  }
  return text.empty() ? text : fmt::format(" Silent where {} speaks about the same thing.", text);
}

}  // namespace

std::span<const RuleEntry> catalogue() {
  static const std::vector<RuleEntry> all = joined();
  return all;
}
std::span<const RuleFamily> families() {
  return all_families;
}

const RuleEntry& entry_of(RuleCode code) {
  return catalogue()[static_cast<std::size_t>(code)];  // in the order of the codes: see check_test
}

const RuleFamily& family_of(RuleCode code) {
  const char letter = to_string(code).front();
  const auto* const at = std::find_if(all_families.begin(), all_families.end(),
                                      [letter](const RuleFamily& f) { return f.letter == letter; });
  return at == all_families.end() ? all_families.front() : *at;
}

bool hides_its_range(RuleCode code) {
  return code == RuleCode::F01 || code == RuleCode::F02 || code == RuleCode::F03 ||
         code == RuleCode::F06;
}

std::string_view standards_text() {
  return "V1.1b3 is the MODBUS Application Protocol Specification, V1.02 the MODBUS over Serial\n"
         "Line Specification and Implementation Guide, TCP the MODBUS Messaging on TCP/IP\n"
         "Implementation Guide V1.0b.";
}

std::string rules_document() {
  std::string text = fmt::format(
      "# The rules of `check`\n\n"
      "This page is generated from the rule catalogue; a test compares the two, and fires every\n"
      "wrong example. `greymet explain --format markdown` prints it, and `greymet explain CODE` "
      "the same\n"
      "for one rule. Severities: error "
      "(will\n"
      "not work or is unsafe), warning (will bite), note (worth knowing); a rule may be milder "
      "than\n"
      "its own severity where its text says so.\n\n"
      "Examples are pieces of a plan: sections, and rows of `transactions`.\n\n{}\n"
      "\n## All of them\n\n| code | severity | rule |\n|---|---|---|\n",
      standards_text());
  for (const RuleFamily& family : all_families) {
    text += fmt::format("| **{}** | | **{}** |\n", family.letter, family.title);
    for (const RuleEntry& e : catalogue()) {
      if (&family_of(e.code) != &family) continue;
      text += fmt::format("| [{0}](#{0}) | {1} | {2} |\n", to_string(e.code), to_string(e.severity),
                          e.title);
    }
  }
  for (const RuleFamily& family : all_families) {
    text += fmt::format("\n## {}: {}\n", family.letter, family.title);
    const auto in_family = [&](const RuleEntry& e) { return &family_of(e.code) == &family; };
    for (const RuleEntry& e : catalogue()) {
      if (!in_family(e)) continue;
      text += fmt::format(
          "\n### {0}\n\n<a id=\"{0}\"></a>**{1}** ({2}{3}). "
          "{4}{8}\n\nWrong:\n\n{5}\nRight:\n\n{6}\n"
          "Fix: {7}\n",
          to_string(e.code), e.title, to_string(e.severity),
          e.clause.empty() ? std::string() : fmt::format("; {}", e.clause), e.why,
          code_block(e.wrong), code_block(e.right), e.remedy, silence_text(e));
    }
  }
  return text;
}

}  // namespace greymet::checks
