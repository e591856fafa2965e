// Family T: paths against their budgets (T11), and paths that are not closed (T12).
#include <algorithm>
#include <optional>
#include <set>

#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/rule_text.h"
#include "model/boundaries.h"
#include "model/resolved_plan.h"
#include "timing/report.h"

namespace greymet::checks {

using model::ValueMove;
using timing::Hop;
using timing::PathReport;
using timing::PathVerdict;

namespace {

constexpr std::size_t most_places_of_a_path = 1000;

class PathRules {
 public:
  PathRules(const RuleInput& in, Findings& out) : plan_(in.plan), timing_(in.timing()), out_(out) {}

  void check() {
    for (std::size_t i = 0; i < timing_.paths.size() && i < plan_.paths.size(); ++i) {
      const model::ResolvedPath& path = plan_.paths[i];
      if (!path.from || !path.to) continue;
      check_path(path, timing_.paths[i]);
    }
  }

 private:
  [[nodiscard]] const model::Path& declared(const model::ResolvedPath& path) const {
    return plan_.plan.paths[path.declared];
  }

  void check_path(const model::ResolvedPath& path, const PathReport& found) {
    const model::Path& d = declared(path);
    switch (found.verdict) {
      case PathVerdict::good: return;
      case PathVerdict::no_way: return report_no_way(path);
      case PathVerdict::not_bounded: return report_unbounded(d, found);
      case PathVerdict::too_old:
        report(out_, RuleCode::T11, Severity::error, d.budget->place, subject_of(d),
               fmt::format("the value is up to {} old in the simulation, the budget is {}",
                           in_ms(*found.simulated), to_text(d.budget->value)),
               remedy_for_age(found), hop_places(found));
        return;
      case PathVerdict::not_guaranteed:
        report(out_, RuleCode::T11, Severity::warning, d.budget->place, subject_of(d),
               fmt::format("the budget of {} is not guaranteed: the value may get {} old{}",
                           to_text(d.budget->value), in_ms(*found.bound),
                           found.simulated ? fmt::format("; {} was the oldest simulated",
                                                         in_ms(*found.simulated))
                                           : std::string()),
               remedy_for_age(found), hop_places(found));
        return;
    }
  }

  [[nodiscard]] std::string name_of(const Hop& hop) const {
    return plan_.move_name(hop.kind, hop.index);
  }
  [[nodiscard]] model::Range hop_place(const Hop& hop) const {
    if (hop.kind == MoveKind::copy) {
      return plan_.plan.copies[plan_.copies[hop.index].declared].place;
    }
    return plan_.declared(plan_.transactions[hop.index]).place;
  }
  [[nodiscard]] std::vector<model::Related> hop_places(const PathReport& found) const {
    if (!found.dominating) return {};
    const Hop& hop = found.hops[*found.dominating];
    return {{hop_place(hop),
             fmt::format("{} takes the largest share, up to {}", name_of(hop), in_ms(*hop.bound))}};
  }

  // The period of the step that takes longest decides most; the rest is what the others take.
  [[nodiscard]] std::string remedy_for_age(const PathReport& found) const {
    if (!found.dominating) return "allow the path a larger budget";
    const Hop& hop = found.hops[*found.dominating];
    const std::string larger =
        found.bound
            ? fmt::format("budget = \"{}\" if the plant can stand it",
                          to_text(model::rounded_up(*found.bound, std::chrono::milliseconds(100))))
            : std::string("a larger budget");
    if (hop.kind == MoveKind::copy) return fmt::format("write {}", larger);
    return fmt::format("a shorter period at {}, or write {}", name_of(hop), larger);
  }

  void report_unbounded(const model::Path& d, const PathReport& found) {
    const auto hop = std::find_if(found.hops.begin(), found.hops.end(),
                                  [](const Hop& h) { return !h.bound.has_value(); });
    if (hop == found.hops.end()) return;
    // one that could not be timed has findings of its own
    if (hop->kind != MoveKind::copy && !hop->job) return;
    report(out_, RuleCode::T12, Severity::warning, d.place, subject_of(d),
           fmt::format("nothing bounds the age of the value: nothing says how often {} runs",
                       name_of(*hop)),
           fmt::format("give {} a period: every = \"...\", or on = \"change\" with min_gap",
                       name_of(*hop)),
           {{hop_place(*hop), "this step"}});
  }

  // Places that the value reaches, each with the step that brings it there.
  struct Reached {
    ValuePlace place;
    std::optional<ValueMove> by;
  };
  [[nodiscard]] std::vector<Reached> reached_from(const ValuePlace& from) const {
    std::vector<Reached> all{{from, {}}};
    std::set<std::tuple<bool, std::size_t, model::Area, std::size_t, std::uint64_t>> seen;
    for (std::size_t i = 0; i < all.size() && all.size() < most_places_of_a_path; ++i) {
      const ValuePlace here = all[i].place;
      for (const ValueMove& move : plan_.flow.moves_of(here)) {
        if (!move.to) continue;
        const ValuePlace& to = *move.to;
        if (seen.insert({to.at_controller, to.owner, to.area, to.bits.store, to.bits.first})
                .second) {
          all.push_back({to, move});
        }
      }
    }
    return all;
  }

  [[nodiscard]] std::string text_of(const ValuePlace& place) const {
    if (place.at_controller) {
      return fmt::format("{} of controller {}", plan_.layouts[place.owner].name_of(place.bits),
                         plan_.plan.controllers[place.owner].name);
    }
    const auto width = is_bit_area(place.area) ? 1 : model::bits_per_word;
    return fmt::format("{}:{} of slave {}", short_name(place.area), place.bits.first / width,
                       plan_.plan.slaves[place.owner].name);
  }

  // A place from where something would take the value to the end.
  [[nodiscard]] std::optional<Reached> before(const ValuePlace& end) const {
    for (const model::ResolvedCopy& copy : plan_.copies) {
      if (!copy.controller || !copy.from || !copy.to) continue;
      if (auto found = source_of(end, model::memory_place(*copy.controller, copy.from->bits))) {
        return found;
      }
    }
    for (const model::ResolvedTransaction& t : plan_.transactions) {
      if (!t.controller || !t.write || !t.from) continue;
      if (auto found = source_of(end, model::memory_place(*t.controller, t.from->bits))) {
        return found;
      }
    }
    return std::nullopt;
  }
  // The part of `source` that some step takes to the end.
  [[nodiscard]] std::optional<Reached> source_of(const ValuePlace& end,
                                                 const ValuePlace& source) const {
    const std::uint64_t length = end.bits.end - end.bits.first;
    for (const ValueMove& move : plan_.flow.moves_of(source)) {
      if (!move.to || !inside(end, *move.to)) continue;
      ValuePlace part = source;
      part.bits.first += end.bits.first - move.to->bits.first;
      part.bits.end = part.bits.first + length;
      return Reached{part, move};
    }
    return std::nullopt;
  }

  // A transaction or copy that could not be read may be the one that is missing: it has a finding
  // of its own.
  [[nodiscard]] bool may_go_on(const std::vector<Reached>& reached, const ValuePlace& end) const {
    const auto concerned = [&](std::optional<std::size_t> controller, const model::Target* target) {
      const auto there = [&](bool at_controller, std::size_t owner) {
        return (end.at_controller == at_controller && end.owner == owner) ||
               std::any_of(reached.begin(), reached.end(), [&](const Reached& r) {
                 return r.place.at_controller == at_controller && r.place.owner == owner;
               });
      };
      return !controller || there(true, *controller) ||
             (target != nullptr && there(target->is_peer, target->index));
    };
    for (std::size_t i = 0; i < plan_.transactions.size(); ++i) {
      if (plan_.exchange.find(i) != nullptr) continue;
      const model::ResolvedTransaction& t = plan_.transactions[i];
      std::optional<std::size_t> controller;
      if (t.controller) controller = *t.controller;
      if (concerned(controller, t.target ? &*t.target : nullptr)) return true;
    }
    return std::any_of(plan_.copies.begin(), plan_.copies.end(), [&](const model::ResolvedCopy& c) {
      if (c.controller && c.from && c.to) return false;
      std::optional<std::size_t> controller;
      if (c.controller) controller = *c.controller;
      return concerned(controller, nullptr);
    });
  }

  // T12, error
  void report_no_way(const model::ResolvedPath& path) {
    const model::Path& d = declared(path);
    const std::vector<Reached> reached = reached_from(*path.from);
    if (may_go_on(reached, *path.to)) return;
    const Reached& last = reached.back();
    const std::string so_far = last.by
                                   ? fmt::format("it comes to {} ({})", text_of(last.place),
                                                 plan_.move_name(last.by->kind, last.by->index))
                                   : fmt::format("nothing takes it from {}", text_of(last.place));
    const auto entry = before(*path.to);
    std::string missing;
    const auto in_front = std::find_if(reached.rbegin(), reached.rend(), [&](const Reached& r) {
      return entry && r.place.at_controller && r.place.owner == entry->place.owner;
    });
    if (in_front != reached.rend()) {
      const auto& layout = plan_.layouts[entry->place.owner];
      const bool words =
          (in_front->place.bits.end - in_front->place.bits.first) % model::bits_per_word == 0;
      missing = fmt::format(
          "add {{ controller = \"{}\", from = \"{}\", to = \"{}\", count = {} }} to copies: {} "
          "takes it on from there",
          plan_.plan.controllers[entry->place.owner].name, first_name(layout, in_front->place.bits),
          first_name(layout, entry->place.bits),
          words ? (in_front->place.bits.end - in_front->place.bits.first) / model::bits_per_word
                : in_front->place.bits.end - in_front->place.bits.first,
          plan_.move_name(entry->by->kind, entry->by->index));
    } else if (!last.by && !last.place.at_controller) {
      missing = fmt::format("add a transaction that reads it from {}",
                            plan_.plan.slaves[last.place.owner].name);
    } else if (last.place.at_controller && path.to->at_controller &&
               last.place.owner == path.to->owner) {
      missing = fmt::format("add a copy from there to {}", text_of(*path.to));
    } else {
      missing = fmt::format("add a transaction that takes it from there to {}", text_of(*path.to));
    }
    std::vector<model::Related> related;
    if (last.by && last.by->kind != MoveKind::copy) {
      related.push_back(
          {plan_.declared(plan_.transactions[last.by->index]).place, "the last step that works"});
    }
    report(out_, RuleCode::T12, Severity::error, d.place, subject_of(d),
           fmt::format("the path is not closed: {}, and nothing carries it on to {}", so_far,
                       text_of(*path.to)),
           missing, std::move(related));
  }

  // "%MW100": where a range begins
  static std::string first_name(const model::MemoryLayout& layout, model::BitRange bits) {
    const bool words = (bits.end - bits.first) % model::bits_per_word == 0;
    bits.end = bits.first + (words ? model::bits_per_word : 1);
    return layout.name_of(bits);
  }

  const model::ResolvedPlan& plan_;
  const timing::TimingReport& timing_;
  Findings& out_;
};

}  // namespace

void check_paths(const RuleInput& in, Findings& out) {
  PathRules(in, out).check();
}

// T13
void check_parking(const RuleInput& in, Findings& out) {
  const timing::TimingReport& timing = in.timing();
  for (const timing::LineReport& line : timing.lines) {
    if (!line.queue) continue;
    const timing::Queue& queue = timing.model.queues[*line.queue];
    if (!queue.line) continue;
    const model::Line& declared = in.plan.plan.lines[*queue.line];
    const auto& park = in.plan.exchange.lines[*queue.line].park;
    if (!park || !declared.park) continue;
    model::Duration tries{};
    for (const timing::Job& job : queue.jobs) {
      if (job.times.broadcast) continue;
      const timing::FailureTimes failure = timing::failure_times(job.times);
      tries = std::max(tries, failure.tries * failure.timeout);
    }
    const model::Duration round = line.round.value_or(model::Duration{});
    const model::Duration least = std::max(tries, round);
    if (queue.jobs.empty() || park->retry >= least) continue;
    report(out, RuleCode::T13, Severity::warning, declared.park->place, subject_of(declared),
           tries >= round
               ? fmt::format("a parked slave is tried again after {}, and all tries to it take {}: "
                             "it then keeps the line busy all the same",
                             to_text(park->retry), to_text(tries))
               : fmt::format("a parked slave is tried again after {}, and one round of the line "
                             "takes {}: it is tried in every round all the same",
                             to_text(park->retry), in_ms(round)),
           fmt::format("write retry = \"{}\" or more, such as \"10s\"",
                       to_text(model::rounded_up(least, std::chrono::milliseconds(100)))));
    const model::Duration longer =
        std::max(model::rounded_up(least, std::chrono::milliseconds(100)),
                 model::Duration(std::chrono::seconds(10)));
    internal::cure_by_keys(
        out, fmt::format("write retry = \"{}\"", to_text(longer)), declared.place,
        {{"park", fmt::format("{{ after = {}, retry = \"{}\" }}", park->after, to_text(longer))}},
        false);
  }
}

}  // namespace greymet::checks
