// What a check could not look at, because the plan does not say enough.
#pragma once

#include <string>
#include <vector>

namespace greymet::model {
struct ResolvedPlan;
}

namespace greymet::checks {

// One sort of fact that is missing. A clean check says nothing about it.
struct NotJudged {
  std::string what;                   // "holes"
  std::vector<std::string> subjects;  // "slave gauge", in the order of the plan
  std::string because;                // "no map_covers"
  std::string add;                    // what would let it be judged
};

[[nodiscard]] std::vector<NotJudged> not_judged(const model::ResolvedPlan& resolved);

// "holes of 3 slaves (no map_covers), reply times of 2 slaves (defaults)", or nothing.
[[nodiscard]] std::string text_of(const std::vector<NotJudged>& list);

}  // namespace greymet::checks
