// P10: names that give the same file.
#include <map>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "model/file_name.h"
#include "model/resolved_plan.h"
#include "model/text_slips.h"

namespace greymet::checks {

namespace {

template <class Thing>
void check_kind(const std::vector<Thing>& things, model::Findings& out) {
  const std::vector<std::string> names = model::names_of(things);
  const std::vector<std::string> files = model::file_names_of(names);
  std::map<std::string, std::size_t> first;  // of those that come to the same, in small letters
  for (std::size_t i = 0; i < things.size(); ++i) {
    const std::string wanted = model::file_name_of(names[i]);
    const auto [at, is_new] = first.try_emplace(model::in_small_letters(wanted), i);
    if (is_new) continue;
    const Thing& other = things[at->second];
    internal::report(
        out, RuleCode::P10, Severity::note, things[i].place, subject_of(things[i]),
        fmt::format("'{}' and '{}' give files of the same name: theirs are called {} and {}",
                    names[i], other.name, files[i], files[at->second]),
        "give them names that differ in letters, digits, - or _",
        {{other.place, fmt::format("'{}' is declared here", other.name)}});
  }
}

}  // namespace

void check_file_names(const RuleInput& in, model::Findings& out) {
  check_kind(in.plan.plan.slaves, out);
  check_kind(in.plan.plan.controllers, out);
}

}  // namespace greymet::checks
