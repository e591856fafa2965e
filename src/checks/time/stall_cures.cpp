#include "stall_cures.h"

#include <algorithm>
#include <vector>

#include <fmt/format.h>

#include "common/line_text.h"
#include "common/words.h"
#include "model/boundaries.h"
#include "model/duration_text.h"
#include "timing/bounds.h"

namespace greymet::checks::internal {

using timing::FailingJob;
using timing::Job;
using timing::Queue;
using timing::Stall;
using timing::StallKind;

const model::ResolvedTransaction& StallCures::transaction(timing::JobRef ref) const {
  return plan_.transactions[timing_.model.queues[ref.queue].jobs[ref.job].transaction];
}

// Left out, connect_timeout is the timeout.
bool StallCures::states_connect_timeout(const FailingJob& failing) const {
  const model::Target& target = *transaction(failing.job).target;
  return !target.is_peer && plan_.plan.slaves[target.index].connect_timeout.has_value();
}

// True if with these tries nobody is hurt by any of the stalls (or the steady ones).
bool StallCures::spared(const Stalls& stalls, const Tries& tries, StallKind kind,
                        const Spares& spares) const {
  return std::all_of(stalls.begin(), stalls.end(), [&](const Stall* stall) {
    Stall changed = *stall;
    for (FailingJob& f : changed.failing) {
      if (tries.timeout) {
        f.timeout = *tries.timeout;
        if (!states_connect_timeout(f)) f.host_off = std::min(f.host_off, f.timeout);
      }
      if (tries.once) f.tries = 1;
      if (tries.quick_connect) f.host_off = {};
    }
    changed.queues = stall_lengths(timing_.model, timing_.stalls.islands[stall->pool],
                                   changed.failing, tries.after);
    return spares(changed, kind);
  });
}

const StallCures::Asked& StallCures::asked_of(const model::Subject& owner) {
  if (asked_.empty()) {
    for (const Queue& queue : timing_.model.queues) {
      for (const Job& job : queue.jobs) {
        if (job.times.broadcast) continue;
        const auto whose = silence_owner(plan_, plan_.transactions[job.transaction]);
        Asked& asked = asked_[whose.subject];
        asked.longest_answer = std::max(asked.longest_answer, timing::least_wait(job.times));
        if (job.kind == model::TriggerKind::cyclic) {
          asked.least_period = std::min(asked.least_period, job.period);
        }
      }
    }
  }
  return asked_[owner];
}

// All tries fit into every period of those that keep it: rule T07, which would speak next.
Duration StallCures::most_for_periods(const Asked& asked, std::int64_t tries) {
  if (asked.least_period == Duration::max()) return Duration::max();
  return model::rounded_down(asked.least_period / tries, milliseconds(10));
}

// The largest timeout, in steps of 10 ms, that spares all; nothing if it is not below today's.
std::optional<Duration> StallCures::largest_timeout(const Stalls& stalls, Duration least,
                                                    Tries tries, StallKind kind,
                                                    const Spares& spares) const {
  const auto enough = [&](Duration timeout) {
    tries.timeout = timeout;
    return spared(stalls, tries, kind, spares);
  };
  if (!enough(least)) return std::nullopt;
  const Duration present = stalls.front()->failing.front().timeout;
  // the stall grows with the timeout: halve the interval
  Duration best = least;
  Duration beyond = std::max(present, least);
  while (beyond - best > milliseconds(10)) {
    const Duration middle = best + model::rounded_down((beyond - best) / 2, milliseconds(10));
    if (middle == best) break;
    (enough(middle) ? best : beyond) = middle;
  }
  return best < present ? std::optional(best) : std::nullopt;
}

std::string StallCures::text(const Stalls& stalls, const model::Subject& owner, bool bites,
                             bool can_park, const Spares& spares) {
  const Stall& stall = *stalls.front();
  std::vector<std::string> ways;
  const bool each_try = bites && stall.park;  // one attempt is already too long
  const StallKind kind = bites ? StallKind::steady : StallKind::first;
  const Tries present{
      {}, false, false, stall.park ? std::optional(stall.park->after) : std::nullopt};
  Tries once = present;
  once.once = true;
  const Duration least = rounded_up(asked_of(owner).longest_answer, milliseconds(10));
  if (!each_try && stall.failing.front().tries > 1 && spared(stalls, once, kind, spares)) {
    ways.emplace_back("retries = 0");
  }
  const std::int64_t tries = std::max<std::int64_t>(1, stall.failing.front().tries);
  if (const auto timeout = largest_timeout(stalls, least, present, kind, spares)) {
    const Duration fits = std::min(*timeout, most_for_periods(asked_of(owner), tries));
    ways.push_back(fmt::format("timeout = \"{}\"", to_text(fits < least ? *timeout : fits)));
  } else if (const auto shorter =
                 each_try ? std::nullopt : largest_timeout(stalls, least, once, kind, spares)) {
    ways.push_back(fmt::format("timeout = \"{}\" with retries = 0", to_text(*shorter)));
  }
  if (!stall.park && can_park && spared(stalls, {{}, false, false, 3}, StallKind::steady, spares)) {
    ways.emplace_back("park = { after = 3, retry = \"10s\" } (then only the first stall is long)");
  }
  if (stall.park && !bites && stall.park->after > 1 &&
      spared(stalls, {{}, false, false, 1}, StallKind::first, spares)) {
    std::int64_t after = stall.park->after - 1;
    while (!spared(stalls, {{}, false, false, after}, StallKind::first, spares)) --after;
    ways.push_back(fmt::format("park with after = {}", after));
  }
  Tries quick = present;
  quick.quick_connect = true;
  const FailingJob& failing = stall.failing.front();
  const Duration in_vain = failing.tries * failing.timeout;
  if (failing.host_off > in_vain && spared(stalls, quick, kind, spares)) {
    ways.push_back(fmt::format("connect_timeout = \"{}\"", to_text(in_vain)));
  }
  if (ways.empty()) {
    return fmt::format(
        "no timeout mends this; give {} a line of its own, or the others periods "
        "above the stall",
        plan_.target_name(stall.silent));
  }
  return fmt::format("write {}", fmt::join(ways, ", or "));
}

}  // namespace greymet::checks::internal
