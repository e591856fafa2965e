// A05: what a plan states and nobody has confirmed.
#include <algorithm>
#include <array>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

namespace {

// What settles a key of this name.
std::string settled_by(const std::string& key, const std::string& slave) {
  static constexpr std::array<std::pair<std::string_view, std::string_view>, 4> ways{
      {{"numbering",
        "one value that its display shows tells: greymet probe PLAN {} --point NAME --near VALUE "
        "--write"},
       {"word_order",
        "one long value that its display shows tells: greymet probe PLAN {} --point NAME --near "
        "VALUE --write"},
       {"reply", "greymet probe PLAN {} --times 100 --write measures it"},
       {"unit", "look at its switches, or its display"}}};
  const auto* const at =
      std::find_if(ways.begin(), ways.end(), [&](const auto& way) { return way.first == key; });
  const std::string_view how = at == ways.end() ? "its manual says it" : at->second;
  return fmt::format(fmt::runtime(how), slave);
}

}  // namespace

void check_unconfirmed(const RuleInput& in, Findings& out) {
  for (const model::Slave& slave : in.plan.plan.slaves) {
    if (!slave.assumed) continue;
    for (const auto& key : slave.assumed->value) {
      report(out, RuleCode::A05, Severity::note, key.place, subject_of(slave),
             fmt::format("`{}` is assumed, never confirmed", key.value),
             fmt::format("{}; then take it off `assumed`", settled_by(key.value, slave.name)));
    }
  }
}

}  // namespace greymet::checks
