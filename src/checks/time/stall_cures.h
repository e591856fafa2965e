// What would shorten the stall that a silent slave causes. Not for use outside this folder.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "model/resolved_plan.h"
#include "timing/report.h"
#include "timing/stalls.h"

namespace greymet::checks::internal {

// True if nobody is hurt by such a stall (the first one, or the steady one).
using Spares = std::function<bool(const timing::Stall& changed, timing::StallKind kind)>;

// Tries changes of timeout, retries and park with the bounds of timing/stalls.h. Holds references;
// one for a whole rule: it looks through all transactions once.
class StallCures {
 public:
  StallCures(const model::ResolvedPlan& plan, const timing::TimingReport& timing)
      : plan_(plan), timing_(timing) {}

  using Stalls = std::vector<const timing::Stall*>;
  // "write retries = 0, or timeout = "120ms"": each change that alone makes all these stalls ones
  // that spare all, the worst of them first; `owner` is who keeps the timeout. `bites`: it is the
  // steady stall that hurts.
  [[nodiscard]] std::string text(const Stalls& stalls, const model::Subject& owner, bool bites,
                                 bool can_park, const Spares& spares);

 private:
  // The failing requests of a stall, tried otherwise.
  struct Tries {
    std::optional<model::Duration> timeout;
    bool once = false;
    bool quick_connect = false;         // as quick to give up as the tries
    std::optional<std::int64_t> after;  // park
  };
  [[nodiscard]] const model::ResolvedTransaction& transaction(timing::JobRef ref) const;
  [[nodiscard]] bool states_connect_timeout(const timing::FailingJob& failing) const;
  [[nodiscard]] bool spared(const Stalls& stalls, const Tries& tries, timing::StallKind kind,
                            const Spares& spares) const;
  // What is asked of who keeps a timeout.
  struct Asked {
    model::Duration longest_answer{};                       // for which the timeout is kept
    model::Duration least_period = model::Duration::max();  // of those that keep it
  };
  [[nodiscard]] const Asked& asked_of(const model::Subject& owner);
  [[nodiscard]] static model::Duration most_for_periods(const Asked& asked, std::int64_t tries);
  [[nodiscard]] std::optional<model::Duration> largest_timeout(const Stalls& stalls,
                                                               model::Duration least, Tries tries,
                                                               timing::StallKind kind,
                                                               const Spares& spares) const;

  const model::ResolvedPlan& plan_;
  const timing::TimingReport& timing_;
  std::map<model::Subject, Asked> asked_;  // once somebody wants to know
};

}  // namespace greymet::checks::internal
