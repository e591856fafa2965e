#include "packing/pack.h"

#include <algorithm>
#include <set>

#include <fmt/format.h>

#include "checks/check.h"
#include "model/resolved_plan.h"
#include "model/usual_function.h"
#include "timing/bounds.h"
#include "timing/phases.h"
#include "timing/report.h"
#include "timing/simulation.h"
#include "wanted.h"
#include "write_wants.h"

namespace greymet::packing {

using internal::WantedArea;
using model::Located;
using model::MemoryKind;
using model::ResolvedPlan;
using timing::Queue;
using timing::TimingModel;
using timing::transaction_times;

namespace {

// Who asks whom: all that decides how long a request takes, but its quantity.
struct Probe {
  std::optional<model::ExchangeTransaction> transaction;  // of one register or bit
  Duration scan{};                                        // where requests start at boundaries
};

// Whom a request asks for what.
struct Asked {
  std::size_t controller = 0;
  std::size_t slave = 0;
  model::Area area = model::Area::holding_register;
  std::int64_t function = 0;
};

model::Transaction request_for(const ResolvedPlan& resolved, const Asked& asked, std::string name,
                               std::uint32_t offset, std::uint32_t quantity) {
  model::Transaction t;
  const model::Slave& slave = resolved.plan.slaves[asked.slave];
  t.name = std::move(name);
  t.place = slave.place;
  const auto& line = resolved.slave_line[asked.slave];
  if (!line || resolved.line_master[*line] != asked.controller) {
    t.controller = Located<std::string>{resolved.plan.controllers[asked.controller].name, t.place};
  }
  t.slave = Located<std::string>{slave.name, t.place};
  t.function = Located<std::int64_t>{asked.function, t.place};
  const model::Address at{asked.area, {static_cast<std::uint16_t>(offset)}};
  // as the slave's own manual counts: the function says which area
  const model::Numbering numbering = resolved.exchange.slaves[asked.slave].numbering;
  const bool reference = numbering == model::Numbering::reference;
  t.block.at = Located<model::AddressText>{
      {reference ? reference6(at) : to_plan_text(at, model::Notation::plain, numbering),
       !reference},
      t.place};
  t.block.count = Located<std::int64_t>{quantity, t.place};
  return t;
}

model::Transaction request_for(const ResolvedPlan& resolved, const WantedArea& area,
                               std::string name, std::uint32_t offset, std::uint32_t quantity,
                               Duration every) {
  const Asked asked{area.controller, area.slave, area.area,
                    model::number_of(model::reading_function(area.area))};
  model::Transaction t = request_for(resolved, asked, std::move(name), offset, quantity);
  t.every = Located<model::Every>{{false, every}, t.place};
  return t;
}

// One request to each slave and area, looked up as the plan's own are.
std::vector<Probe> probes_of(const ResolvedPlan& resolved, const std::vector<WantedArea>& areas) {
  model::Plan plan = resolved.plan;
  plan.transactions.clear();
  plan.heartbeats.clear();
  plan.copies.clear();
  plan.wants.clear();
  plan.paths.clear();
  for (std::size_t i = 0; i < areas.size(); ++i) {
    plan.transactions.push_back(request_for(resolved, areas[i], fmt::format("probe {}", i),
                                            areas[i].units.front().unit.first, 1,
                                            std::chrono::seconds(1)));
  }
  model::Findings ignored;
  const ResolvedPlan with_probes = model::resolve(std::move(plan), ignored);
  std::vector<Probe> probes(areas.size());
  for (std::size_t i = 0; i < areas.size(); ++i) {
    const model::ExchangeTransaction* t = with_probes.exchange.find(i);
    if (t == nullptr || !transaction_times(with_probes.exchange, *t)) continue;
    probes[i].transaction = *t;
    probes[i].scan = resolved.exchange.controllers[areas[i].controller].request_grid();
  }
  return probes;
}

// Longest durations per quantity: as they are, and as they count in the use of the line.
struct AreaCosts {
  RequestCosts longest;
  RequestCosts counted;
};

AreaCosts costs_of(const ResolvedPlan& resolved, const WantedArea& area, const Probe& probe) {
  AreaCosts costs{RequestCosts(area.most + 1, 0), RequestCosts(area.most + 1, 0)};
  model::ExchangeTransaction t = *probe.transaction;
  const std::int64_t scan = probe.scan.count();
  for (std::uint32_t n = 1; n <= area.most; ++n) {
    t.read->quantity = n;
    const std::int64_t longest = transaction_times(resolved.exchange, t)->longest.count();
    costs.longest[n] = longest;
    costs.counted[n] = scan > 0 ? (longest + scan - 1) / scan * scan : longest;
  }
  return costs;
}

class Packer {
 public:
  explicit Packer(const ResolvedPlan& resolved) : resolved_(resolved) {
    for (const model::Transaction& t : resolved.plan.transactions) names_.insert(t.name);
  }

  PackResult run() {
    const auto areas = internal::wanted_areas(resolved_, result_.problems);
    const auto writes = internal::write_requests(resolved_, result_.problems);
    if (areas.empty() && writes.empty()) return std::move(result_);
    const auto probes = probes_of(resolved_, areas);
    loads_.resize(areas.size());
    for (std::size_t i = 0; i < areas.size(); ++i) {
      if (!probes[i].transaction) {
        const auto& slave = resolved_.plan.slaves[areas[i].slave];
        problem(areas[i].units.front().want,
                fmt::format("the time of a request to slave {} is not known", slave.name),
                "correct its line or host first: `greymet check` names what is missing");
        continue;
      }
      loads_[i] = cover_area(areas[i], probes[i]);
    }
    say_what_is_kept_apart(areas, probes);
    for (const internal::WriteRequest& write : writes) add_write(write);
    add_writes_alone(writes);
    if (result_.requests.empty()) return std::move(result_);
    place_and_judge();
    return std::move(result_);
  }

 private:
  void problem(std::size_t want, std::string message, std::string remedy) {
    const model::Want& declared = resolved_.plan.wants[resolved_.wants[want].declared];
    refused_.insert(want);
    result_.problems.push_back({declared.place,
                                {model::SubjectKind::want, std::to_string(declared.number)},
                                std::move(message),
                                std::move(remedy)});
  }

  std::string unique_name(const std::string& wished) {
    std::string name = wished;
    for (int n = 2; !names_.insert(name).second; ++n) name = fmt::format("{}-{}", wished, n);
    return name;
  }

  // Requests, and line time per second.
  struct Load {
    std::size_t requests = 0;
    double share = 0;
  };

  void say_what_is_kept_apart(const std::vector<WantedArea>& areas,
                              const std::vector<Probe>& probes) {
    for (const internal::MergedArea& merged : internal::merged_areas(resolved_, areas)) {
      const std::size_t first = merged.parts.front();
      if (!probes[first].transaction || merged.area.units.empty()) continue;
      std::vector<Unit> units;
      for (const auto& wanted : merged.area.units) units.push_back(wanted.unit);
      const AreaCosts costs = costs_of(resolved_, merged.area, probes[first]);
      const Partition together = cover(units, costs.counted);
      Load apart;
      for (const std::size_t part : merged.parts) {
        apart.requests += loads_[part].requests;
        apart.share += loads_[part].share;
      }
      const double share = load_of(units, costs.counted, together.requests);
      std::vector<std::size_t> numbers;
      for (const std::size_t want : merged.area.wants)
        numbers.push_back(declared_want(want).number);
      result_.kept_apart.push_back(
          {subject_of(resolved_.plan.slaves[merged.area.slave]), merged.area.area,
           std::move(numbers), apart.requests - std::min(apart.requests, together.requests.size()),
           100 * std::max(0.0, apart.share - share)});
    }
  }

  Load cover_area(const WantedArea& area, const Probe& probe) {
    const AreaCosts costs = costs_of(resolved_, area, probe);
    std::vector<Unit> units;
    units.reserve(area.units.size());
    for (const auto& wanted : area.units) units.push_back(wanted.unit);
    const Partition partition = cover(units, costs.counted);
    result_.least = result_.least && partition.least;
    for (const Unit& unit : units) {
      model::ExchangeTransaction t = *probe.transaction;
      t.read->quantity = unit.end - unit.first;
      alone_.push_back(
          {*transaction_times(resolved_.exchange, t), unit.every, area.slave, area.controller});
    }
    std::vector<bool> brought(area.units.size(), false);
    // a unit is credited to the slowest request that serves it, which is read for its sake
    std::vector<Request> slowest_first = partition.requests;
    std::stable_sort(slowest_first.begin(), slowest_first.end(),
                     [](const Request& a, const Request& b) { return a.every > b.every; });
    std::map<std::pair<std::size_t, std::int64_t>, std::vector<std::size_t>> credited;
    for (const Request& r : slowest_first) {
      for (std::size_t u = r.from; u <= r.to; ++u) {
        if (brought[u] || units[u].every < r.every) continue;
        brought[u] = true;
        credited[{r.from, r.every.count()}].push_back(u);
      }
    }
    for (const Request& r : partition.requests) {
      add_request(area, r, credited[{r.from, r.every.count()}]);
    }
    return {partition.requests.size(), load_of(units, costs.counted, partition.requests)};
  }

  void add_request(const WantedArea& area, const Request& r,
                   const std::vector<std::size_t>& credited) {
    const std::uint32_t first = area.units[r.from].unit.first;
    const std::uint32_t quantity = area.units[r.to].unit.end - first;
    PackedRequest out;
    std::size_t want = area.units[r.from].want;
    for (std::size_t u : credited) {
      want = u == credited.front() ? area.units[u].want : std::min(want, area.units[u].want);
      for (const model::Point* point : area.units[u].points) out.points.push_back(point->name);
    }
    const std::string& slave = resolved_.plan.slaves[area.slave].name;
    const std::string lead =
        out.points.empty() ? area.units[r.from].points.front()->name : out.points.front();
    out.declared =
        request_for(resolved_, area, unique_name(slave + "-" + lead), first, quantity, r.every);
    out.at = {area.area, {static_cast<std::uint16_t>(first)}};
    out.quantity = quantity;
    out.every = r.every;
    out.declared.on_loss = resolved_.plan.wants[resolved_.wants[want].declared].on_loss;
    place_request(area.controller, area.area, want, out);
    result_.requests.push_back(std::move(out));
    want_of_.push_back(want);
  }

  [[nodiscard]] const model::Want& declared_want(std::size_t want) const {
    return resolved_.plan.wants[resolved_.wants[want].declared];
  }

  void add_write(const internal::WriteRequest& write) {
    const model::Want& want = declared_want(write.want);
    PackedRequest out;
    for (const model::Point* point : write.points) out.points.push_back(point->name);
    const std::string& slave = resolved_.plan.slaves[write.slave].name;
    out.declared =
        request_for(resolved_, asked_by(write), unique_name(slave + "-set-" + out.points.front()),
                    write.first, write.quantity);
    out.at = {write.area, {static_cast<std::uint16_t>(write.first)}};
    out.quantity = write.quantity;
    out.declared.on = want.on;
    out.declared.min_gap = want.min_gap;
    out.declared.only_if = want.only_if;
    if (want.every) {
      out.every = want.every->value;
      out.declared.every = Located<model::Every>{{false, out.every}, out.declared.place};
    }
    place_request(write.controller, write.area, write.want, out);
    result_.requests.push_back(std::move(out));
    want_of_.push_back(write.want);
  }

  [[nodiscard]] static Asked asked_by(const internal::WriteRequest& write) {
    return {write.controller, write.slave, write.area, write.function};
  }

  // What each written point would take of the line by itself.
  void add_writes_alone(const std::vector<internal::WriteRequest>& writes) {
    model::Plan plan = resolved_.plan;
    plan.transactions.clear();
    plan.heartbeats.clear();
    plan.copies.clear();
    plan.wants.clear();
    plan.paths.clear();
    std::vector<const internal::WriteRequest*> of;
    for (const internal::WriteRequest& write : writes) {
      const model::Want& want = declared_want(write.want);
      if (!want.every && !want.min_gap) continue;  // once, at start or return
      for (const model::Point* point : write.points) {
        const model::Extent extent = model::extent_of(*point);
        plan.transactions.push_back(request_for(resolved_, asked_by(write),
                                                fmt::format("probe {}", of.size()), extent.first,
                                                extent.end - extent.first));
        plan.transactions.back().every = Located<model::Every>{
            {false, want.every ? want.every->value : want.min_gap->value}, want.place};
        of.push_back(&write);
      }
    }
    model::Findings ignored;
    const ResolvedPlan probed = model::resolve(std::move(plan), ignored);
    for (std::size_t i = 0; i < of.size(); ++i) {
      const model::ExchangeTransaction* t = probed.exchange.find(i);
      const auto times = t == nullptr ? std::nullopt : transaction_times(probed.exchange, *t);
      if (!times) continue;
      alone_.push_back({*times, probed.plan.transactions[i].every->value.period, of[i]->slave,
                        of[i]->controller});
    }
  }

  // Explicit places are filled one request after the other; an area alone is left to resolve().
  void place_request(std::size_t in_controller, model::Area area, std::size_t want,
                     PackedRequest& out) {
    const model::Want& declared = declared_want(want);
    const model::MemoryLayout& layout = resolved_.layouts[in_controller];
    const model::Controller& controller = resolved_.plan.controllers[in_controller];
    const bool writes = declared.writes();
    model::Declared<std::string>& place = writes ? out.declared.from : out.declared.into;
    place = writes ? declared.from : declared.into;
    const std::string& written = place->value;
    const auto spot = layout.read(written);
    if (!spot || spot->bit) {
      problem(want, spot ? fmt::format("'{}' is one bit", written) : spot.error().message,
              fmt::format("name words or bits of the controller: {} = \"%MW100\"",
                          writes ? "from" : "into"));
      return;
    }
    const bool bits = is_bit_area(area);
    const bool words = controller.memory[spot->area].kind == MemoryKind::word;
    if (!bits && !words) {
      problem(want, writes ? "registers are to come from bits" : "registers are to go into bits",
              writes ? "let them come from words; the program puts the bits there"
                     : "let them go into words; the program takes the bits from there");
      return;
    }
    std::int64_t count = out.quantity;
    if (bits && words) {
      out.declared.packing = Located<model::Packing>{
          writes ? model::Packing::words_to_bits : model::Packing::bits_to_words, {}};
      count = (count + 15) / 16;
    }
    if (!spot->number) return;
    // wants of slaves that are alike are one in the plan
    const std::pair key(declared.place, written);
    auto& next = next_number_.try_emplace(key, *spot->number).first->second;
    const bool even = words && resolved_.exchange.controllers[in_controller].aligns32;
    if (even && next % 2 != 0) ++next;
    place->value = layout.name_of(spot->area, next);
    next += count;
  }

  void place_and_judge() {
    model::Plan plan = resolved_.plan;
    plan.wants.clear();
    const std::size_t own = plan.transactions.size();
    for (const PackedRequest& request : result_.requests) {
      plan.transactions.push_back(request.declared);
    }
    model::Findings findings;
    ResolvedPlan packed = model::resolve(std::move(plan), findings);
    TimingModel timing = timing::build_timing_model(packed);
    choose_phases(packed, own, timing);
    for (std::size_t i = 0; i < result_.requests.size(); ++i) {
      name_memory(packed, packed.transactions[own + i], result_.requests[i]);
    }
    collect_errors(packed, findings);
    compare_lines(own, timing);
  }

  void choose_phases(const ResolvedPlan& packed, std::size_t own, TimingModel& timing) {
    for (std::size_t q = 0; q < timing.queues.size(); ++q) {
      Queue& queue = timing.queues[q];
      std::vector<std::size_t> added;
      for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
        const std::size_t t = queue.jobs[j].transaction;
        // what comes on a bit or a change has no phase
        if (t >= own && result_.requests[t - own].declared.every) added.push_back(j);
      }
      if (added.empty()) continue;
      const auto placement = place_jobs(
          timing, q, added, timing::phase_step(packed.plan.controllers[queue.controller]));
      result_.phases_exact = result_.phases_exact && placement.exact;
      for (std::size_t i = 0; i < added.size(); ++i) {
        Queue& changed = timing.queues[q];
        changed.jobs[added[i]].phase = placement.phases[i];
        result_.requests[changed.jobs[added[i]].transaction - own].phase = placement.phases[i];
      }
    }
    for (PackedRequest& request : result_.requests) {
      if (request.phase > Duration{}) {
        request.declared.phase = Located<Duration>{request.phase, {}};
      }
    }
  }

  // Writes down where resolve() has placed what named only an area.
  static void name_memory(const ResolvedPlan& packed, const model::ResolvedTransaction& t,
                          PackedRequest& request) {
    if (!t.controller) return;
    const model::MemoryLayout& layout = packed.layouts[*t.controller];
    if (t.into && request.declared.into) {
      request.declared.into->value = layout.name_of(t.into->area, t.into->number);
    }
    if (t.from && request.declared.from) {
      request.declared.from->value = layout.name_of(t.from->area, t.from->number);
    }
  }

  // What reading and checking say of the new requests: nobody is given a plan with errors.
  void collect_errors(const ResolvedPlan& packed, const model::Findings& found) {
    checks::RuleSelection rules;
    rules.picked = {"F", "M", "C"};
    std::map<model::Subject, std::size_t> mine;
    for (std::size_t i = 0; i < result_.requests.size(); ++i) {
      mine[subject_of(result_.requests[i].declared)] = i;
    }
    for (const model::Finding& f : checks::check(packed, found, rules)) {
      const auto at = mine.find(f.subject);
      if (at == mine.end() || f.severity != model::Severity::error) continue;
      if (refused_.contains(want_of_[at->second])) continue;  // its cause has been said
      problem(want_of_[at->second],
              fmt::format("{} would be wrong ({}): {}", f.subject, to_string(f.rule), f.message),
              f.remedy);
    }
  }

  // A wanted value by itself: what it costs if it has a request of its own.
  struct Alone {
    timing::TransactionTimes times;
    Duration every{};
    std::size_t slave = 0;
    std::size_t controller = 0;
  };

  // The plan's own transactions, and each wanted value with a request of its own.
  [[nodiscard]] TimingModel unpacked(std::size_t own, const TimingModel& packed) const {
    TimingModel timing = packed;
    std::map<std::pair<std::size_t, std::size_t>, timing::JobRef> example_of;
    for (std::size_t q = 0; q < packed.queues.size(); ++q) {
      const Queue& queue = packed.queues[q];
      for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
        if (queue.jobs[j].transaction < own) continue;
        example_of[{queue.controller, packed.devices[queue.jobs[j].device].index}] = {q, j};
      }
      std::erase_if(timing.queues[q].jobs,
                    [&](const timing::Job& job) { return job.transaction >= own; });
    }
    for (const Alone& alone : alone_) {
      const auto at = example_of.find({alone.controller, alone.slave});
      if (at == example_of.end()) continue;
      timing::Job job = job_at(packed, at->second);
      job.period = alone.every;
      job.times = alone.times;
      timing.queues[at->second.queue].jobs.push_back(job);
    }
    return timing;
  }

  // One queue in one of the models; `own` are the plan's transactions.
  static PackSide side_of(const TimingModel& timing, std::size_t q, std::size_t own,
                          const std::vector<timing::JobBounds>& bounds) {
    PackSide side;
    const Queue& queue = timing.queues[q];
    side.utilisation_percent = timing::utilisation_percent(queue);
    for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
      if (queue.jobs[j].transaction >= own) ++side.requests;
      if (!bounds[j].response) continue;
      side.response_bound = std::max(side.response_bound.value_or(Duration{}), *bounds[j].response);
    }
    return side;
  }

  void compare_lines(std::size_t own, const TimingModel& timing) {
    const TimingModel alone = unpacked(own, timing);
    const auto bounds_alone = timing::bounds_of(alone);
    const auto bounds = timing::bounds_of(timing);
    timing::SimulationOptions options;
    options.most_transactions = 1'000'000;
    const auto simulated = simulate(timing, options);
    for (std::size_t q = 0; q < timing.queues.size(); ++q) {
      PackedLine line;
      line.name = timing.queues[q].name;
      line.before = side_of(alone, q, own, bounds_alone[q]);
      if (line.before.requests == 0) continue;
      line.after = side_of(timing, q, own, bounds[q]);
      for (const timing::JobStatistics& job : simulated[q].jobs) {
        line.missed += job.missed;
        if (job.completed == 0) continue;
        line.response_simulated =
            std::max(line.response_simulated.value_or(Duration{}), job.response_max);
      }
      include(line.before, result_.before);
      include(line.after, result_.after);
      result_.lines.push_back(std::move(line));
    }
  }

  static void include(const PackSide& line, PackSide& all) {
    all.requests += line.requests;
    all.utilisation_percent = std::max(all.utilisation_percent, line.utilisation_percent);
    if (line.response_bound) {
      all.response_bound = std::max(all.response_bound.value_or(Duration{}), *line.response_bound);
    }
  }

  const ResolvedPlan& resolved_;
  PackResult result_;
  std::set<std::string> names_;
  std::set<std::size_t> refused_;     // wants with a problem
  std::vector<Load> loads_;           // per area
  std::vector<std::size_t> want_of_;  // per request
  // per want with an explicit place, as it is written
  std::map<std::pair<model::Range, std::string>, std::int64_t> next_number_;
  std::vector<Alone> alone_;  // each wanted value by itself
};

}  // namespace

PackResult pack(const ResolvedPlan& resolved) {
  return Packer(resolved).run();
}

std::vector<model::Transaction> declared_of(const PackResult& result) {
  std::vector<model::Transaction> transactions;
  transactions.reserve(result.requests.size());
  for (const PackedRequest& request : result.requests) transactions.push_back(request.declared);
  return transactions;
}

}  // namespace greymet::packing
