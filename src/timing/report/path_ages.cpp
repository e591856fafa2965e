#include "timing/path_ages.h"

#include <algorithm>

#include "model/boundaries.h"
#include "model/resolved_plan.h"
#include "queues/spread.h"
#include "timing/simulation.h"
#include "timing/transfers.h"

namespace greymet::timing {

using internal::fraction;
using internal::golden;
using internal::offsets_examined;
using internal::part_of;
using model::boundary_from;
using model::boundary_until;

namespace {

constexpr std::size_t bins = 480;
constexpr std::size_t most_transfers = 20'000;  // per hop

// How old a value is that has been there since `arrived`.
struct Arrival {
  Duration taken{};  // at the source
  Duration arrived{};
};

// One offset of all that is unknown.
class Follower {
 public:
  Follower(const model::ResolvedPlan& plan, const std::vector<Hop>& hops,
           const std::vector<std::vector<Transfer>>& transfers, std::size_t variant)
      : plan_(plan), hops_(hops), transfers_(transfers), variant_(variant) {}

  [[nodiscard]] std::vector<Arrival> follow() const {
    std::vector<Arrival> here;
    std::int64_t leading_copies = 0;
    bool at_source = true;
    for (std::size_t k = 0; k < hops_.size(); ++k) {
      const Hop& hop = hops_[k];
      if (hop.kind == model::MoveKind::copy) {
        // what the program sees at a boundary it has copied by the end of that scan, and each copy
        // behind it takes the next
        const std::int64_t copies = copies_from(k);
        const Duration scan = scan_of(hop.controller);
        for (Arrival& a : here) {
          a.arrived = boundary_from(a.arrived, scan, scan_offset(hop.controller)) + copies * scan;
        }
        if (at_source) leading_copies += copies;
        k += static_cast<std::size_t>(copies) - 1;
        continue;
      }
      here = at_source ? from_source(k, leading_copies) : carried(here, k);
      at_source = false;
    }
    return here;
  }

 private:
  // Copies in a row, all by one program: no other reaches its memory.
  [[nodiscard]] std::int64_t copies_from(std::size_t k) const {
    std::int64_t count = 0;
    while (k < hops_.size() && hops_[k].kind == model::MoveKind::copy) {
      ++count;
      ++k;
    }
    return count;
  }
  [[nodiscard]] Duration scan_of(std::size_t controller) const {
    return plan_.exchange.controllers[controller].scan;
  }
  [[nodiscard]] double share(std::size_t of) const {
    return fraction(static_cast<double>(variant_) * golden + static_cast<double>(of) * 0.37);
  }
  [[nodiscard]] Duration scan_offset(std::size_t controller) const {
    // requests that start at scan boundaries were simulated with boundaries from 0 on
    if (plan_.exchange.controllers[controller].sends == model::Sends::scan) {
      return phase_of(controller);
    }
    return part_of(scan_of(controller), share(controller + 1));
  }
  // Different controllers start at unknown times.
  [[nodiscard]] Duration phase_of(std::size_t controller) const {
    if (controller == hops_.front().controller) return {};
    return part_of(std::chrono::seconds(60), share(controller + 7));
  }
  [[nodiscard]] Duration seen(const Hop& hop, Duration landed) const {
    if (!hop.into) return landed;
    return boundary_from(landed, scan_of(*hop.into), scan_offset(*hop.into));
  }

  [[nodiscard]] std::vector<Arrival> from_source(std::size_t k, std::int64_t copies) const {
    const Hop& hop = hops_[k];
    const Duration phase = phase_of(hop.controller);
    std::vector<Arrival> arrivals;
    for (const Transfer& t : transfers_[k]) {
      Duration taken = t.taken + phase;
      if (copies > 0) {
        const Duration scan = scan_of(hop.controller);
        taken = boundary_until(taken, scan, scan_offset(hop.controller)) - copies * scan;
      }
      arrivals.push_back({taken, seen(hop, t.landed + phase)});
    }
    return arrivals;
  }

  [[nodiscard]] std::vector<Arrival> carried(const std::vector<Arrival>& before,
                                             std::size_t k) const {
    const Hop& hop = hops_[k];
    const Duration phase = phase_of(hop.controller);
    std::vector<Arrival> arrivals;
    std::size_t next = 0;
    for (const Transfer& t : transfers_[k]) {
      while (next < before.size() && before[next].arrived <= t.taken + phase) ++next;
      if (next == 0) continue;
      if (next == before.size()) break;  // what would have come is not simulated any more
      arrivals.push_back({before[next - 1].taken, seen(hop, t.landed + phase)});
    }
    return arrivals;
  }

  const model::ResolvedPlan& plan_;
  const std::vector<Hop>& hops_;
  const std::vector<std::vector<Transfer>>& transfers_;
  std::size_t variant_;
};

// Ages that rise from `least` to `most` while time passes.
struct Rise {
  Duration least{};
  Duration most{};
};

void add_rises(const std::vector<Arrival>& arrivals, std::vector<Rise>& rises) {
  std::size_t current = 0;
  for (std::size_t k = 1; k < arrivals.size(); ++k) {
    if (arrivals[k].taken <= arrivals[current].taken) continue;  // the same value once more
    rises.push_back({arrivals[current].arrived - arrivals[current].taken,
                     arrivals[k].arrived - arrivals[current].taken});
    current = k;
  }
}

AgeDistribution distribution_of(const std::vector<Rise>& rises) {
  AgeDistribution out;
  out.least = Duration::max();
  double total = 0;
  double moment = 0;
  for (const Rise& r : rises) {
    out.least = std::min(out.least, r.least);
    out.longest = std::max(out.longest, r.most);
    const auto length = static_cast<double>((r.most - r.least).count());
    total += length;
    moment += length * (static_cast<double>(r.least.count()) + length / 2);
  }
  if (total <= 0) return out;
  out.mean_ms = moment / total / 1e6;
  out.bin = Duration(out.longest.count() / static_cast<std::int64_t>(bins) + 1);
  // time spent in each bin; whole bins between the ends of a rise go through `change`
  std::vector<double> time(bins + 1, 0);
  std::vector<double> change(bins + 2, 0);
  const double width = static_cast<double>(out.bin.count());
  for (const Rise& r : rises) {
    const auto from = static_cast<std::size_t>(r.least / out.bin);
    const auto to = static_cast<std::size_t>(r.most / out.bin);
    if (from == to) {
      time[from] += static_cast<double>((r.most - r.least).count());
      continue;
    }
    time[from] += width * double(from + 1) - static_cast<double>(r.least.count());
    time[to] += static_cast<double>(r.most.count()) - width * double(to);
    change[from + 1] += width;
    change[to] -= width;
  }
  double level = 0;
  double sum = 0;
  out.histogram.reserve(bins);
  for (std::size_t b = 0; b < bins; ++b) {
    level += change[b];
    const double share = (time[b] + level) / total;
    const double before = sum;
    sum += share;
    out.histogram.push_back(share);
    const auto at = [&](double quantile) {
      const double within = share > 0 ? (quantile - before) / share : 0;
      return Duration(static_cast<std::int64_t>((static_cast<double>(b) + within) * width));
    };
    if (before < 0.5 && sum >= 0.5) out.median = at(0.5);
    if (before < 0.99 && sum >= 0.99) out.p99 = at(0.99);
  }
  return out;
}

}  // namespace

std::optional<AgeDistribution> ages_at_end(const model::ResolvedPlan& resolved,
                                           const TimingModel& timing, const std::vector<Hop>& hops,
                                           const std::vector<QueueStatistics>& run) {
  std::vector<std::vector<Transfer>> transfers(hops.size());
  bool carried = false;
  for (std::size_t k = 0; k < hops.size(); ++k) {
    if (hops[k].kind == model::MoveKind::copy) continue;
    if (!hops[k].job) return std::nullopt;
    const JobRef ref = *hops[k].job;
    transfers[k] = transfers_of(job_at(timing, ref), ref.job, hops[k].kind == model::MoveKind::read,
                                run[ref.queue].watched);
    if (transfers[k].size() > most_transfers) transfers[k].resize(most_transfers);
    carried = true;
  }
  if (!carried) return std::nullopt;
  std::vector<Rise> rises;
  for (std::size_t variant = 0; variant < offsets_examined; ++variant) {
    add_rises(Follower(resolved, hops, transfers, variant).follow(), rises);
  }
  if (rises.empty()) return std::nullopt;
  return distribution_of(rises);
}

}  // namespace greymet::timing
