// What rules about time call a line or connection, and where they point.
#pragma once

#include <string>

#include "model/resolved_plan.h"
#include "timing/report.h"

namespace greymet::checks::internal {

// "line north"; for a connection the slave, gateway or controller it leads to: "slave air".
[[nodiscard]] model::Subject line_subject(const model::ResolvedPlan& plan,
                                          const timing::TimingReport& timing,
                                          const timing::LineReport& line);
[[nodiscard]] model::Range line_place(const model::ResolvedPlan& plan,
                                      const timing::TimingReport& timing,
                                      const timing::LineReport& line);

// Whose `timeout` a transaction runs under, and where it is written (or would be).
struct TimeoutOwner {
  model::Subject subject;
  model::Range place;
  bool is_known = true;  // false where its keys were misspelt or refused: P02, P05
};
[[nodiscard]] TimeoutOwner timeout_owner(const model::ResolvedPlan& plan,
                                         const model::ResolvedTransaction& t);
// Whose `timeout` ends the wait for a slave that does not answer: another's behind a gateway that
// says nothing of it.
[[nodiscard]] TimeoutOwner silence_owner(const model::ResolvedPlan& plan,
                                         const model::ResolvedTransaction& t);

}  // namespace greymet::checks::internal
