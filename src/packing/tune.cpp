#include "packing/tune.h"

#include <algorithm>
#include <functional>
#include <map>
#include <set>

#include "model/resolved_plan.h"
#include "timing/simulation.h"
#include "tune_changes.h"
#include "tune_edits.h"

namespace greymet::packing {

using internal::Remedy;
using model::Plan;
using model::ResolvedPlan;
using timing::Queue;
using timing::TimingReport;

namespace {

constexpr std::uint64_t silence_transactions = 200'000;  // per change that is judged
constexpr std::uint64_t healthy_transactions = 200'000;

// The plan with the transactions of one island alone, and what they need: so that what a change
// costs to try does not grow with the rest of the plan.
Plan part_of(const ResolvedPlan& resolved, const timing::TimingModel& timing,
             const std::vector<std::size_t>& island) {
  const Plan& whole = resolved.plan;
  std::set<std::size_t> declared;
  std::set<std::size_t> controllers;
  std::set<std::size_t> lines;
  std::set<std::size_t> slaves;
  for (std::size_t q : island) {
    const Queue& queue = timing.queues[q];
    controllers.insert(queue.controller);
    if (queue.line) lines.insert(*queue.line);
    for (const timing::Job& job : queue.jobs) {
      const auto& t = resolved.transactions[job.transaction];
      declared.insert(t.declared);
      (t.target->is_peer ? controllers : slaves).insert(t.target->index);
    }
  }
  // all that hangs on a line belongs to what changing the line costs
  for (std::size_t s = 0; s < whole.slaves.size(); ++s) {
    const auto& line = resolved.slave_line[s];
    if (line && lines.contains(*line)) slaves.insert(s);
    if (line && slaves.contains(s)) lines.insert(*line);
  }
  for (std::size_t line : lines) {
    if (resolved.line_master[line]) controllers.insert(*resolved.line_master[line]);
  }
  Plan plan;
  plan.files = whole.files;
  plan.written_as = whole.written_as;
  for (std::size_t c : controllers) plan.controllers.push_back(whole.controllers[c]);
  std::set<std::string> gateways;
  for (std::size_t l : lines) {
    plan.lines.push_back(whole.lines[l]);
    if (whole.lines[l].via) gateways.insert(whole.lines[l].via->value);
  }
  for (const model::Gateway& gateway : whole.gateways) {
    if (gateways.contains(gateway.name)) plan.gateways.push_back(gateway);
  }
  std::map<std::size_t, std::size_t> maps;
  for (std::size_t s : slaves) {
    plan.slaves.push_back(whole.slaves[s]);
    auto& map = plan.slaves[plan.slaves.size() - 1].map;
    if (!map) continue;
    const auto [at, is_new] = maps.try_emplace(*map, plan.maps.size());
    if (is_new) plan.maps.push_back(whole.maps[*map]);
    map = at->second;
  }
  for (std::size_t i : declared) plan.transactions.push_back(whole.transactions[i]);
  return plan;
}

// A plan, and what the simulation says of the lines in it.
struct Trial {
  ResolvedPlan plan;
  TimingReport report;
  LineState state;  // over all its lines
};

LineState state_of(const ResolvedPlan& plan, const TimingReport& report, bool with_silence) {
  LineState state;
  for (const timing::LineReport& line : report.lines) {
    if (!line.queue || line.transactions.empty()) continue;
    state.utilisation_percent = std::max(state.utilisation_percent, line.utilisation_percent);
    state.overloaded = state.overloaded || line.overloaded();
    for (const timing::TransactionReport& t : line.transactions) {
      state.missed += t.missed;
      if (t.response_simulated) {
        state.response_simulated =
            std::max(state.response_simulated.value_or(timing::Duration{}), *t.response_simulated);
      }
      if (t.kind == model::TriggerKind::cyclic &&
          (!t.response_bound || *t.response_bound > *t.period)) {
        ++state.late;
      }
    }
  }
  if (!with_silence) return state;
  timing::SilenceOptions options;
  options.most_transactions = silence_transactions;
  const auto silence = simulate_silence(plan, report.model, report.stalls, report.longest,
                                        report.heartbeats, options);
  const auto stall_of = [&](const timing::SilentCase& silent) -> const timing::Stall& {
    return report.stalls.stalls[*silent.stall];
  };
  std::pair<bool, timing::Duration> worst{};
  // by the bound, as rule T04 judges it, or in what was simulated
  const auto can_hurt = [&](const timing::SilentCase& silent, timing::StallKind kind) {
    return silent.stall && !jobs_hurt(plan, report.model, report.stalls,
                                      report.stalls.stalls[*silent.stall], kind, 1)
                                .empty();
  };
  for (const timing::SilentCase& silent : silence.cases) {
    const bool always =
        !silent.missing_steady.empty() || can_hurt(silent, timing::StallKind::steady);
    if (always) ++state.hurtful;
    if (always || !silent.missing.empty() || can_hurt(silent, timing::StallKind::first)) {
      // the longest stall among those that go on, else among the first ones
      const timing::Duration length = always ? silent.steady : silent.first;
      const auto rank = std::pair(
          always, std::max(length, silent.stall
                                       ? (always ? stall_of(silent).steady : stall_of(silent).first)
                                       : length));
      if (state.worst.empty() || rank > worst) {
        worst = rank;
        state.worst = plan.target_name(report.model.devices[silent.devices.front()]);
      }
      ++state.hurtful_all;
    }
  }
  return state;
}

Trial try_plan(Plan plan, bool with_silence) {
  Trial trial;
  model::Findings ignored;
  trial.plan = model::resolve(std::move(plan), ignored);
  timing::SimulationOptions options;
  options.most_transactions = healthy_transactions;
  trial.report = timing::analyse_longest(trial.plan, options);
  trial.state = state_of(trial.plan, trial.report, with_silence);
  return trial;
}

bool needs_silence(TuneGoal goal) {
  return goal == TuneGoal::endure || goal == TuneGoal::endure_all;
}

bool reaches(const LineState& state, TuneGoal goal) {
  const bool fits = state.missed == 0 && !state.overloaded;
  switch (goal) {
    case TuneGoal::fit: return fits;
    case TuneGoal::guarantee: return fits && state.late == 0;
    case TuneGoal::endure: return fits && state.hurtful == 0;
    case TuneGoal::endure_all: return fits && state.hurtful_all == 0;
  }
  return false;
}

// Kinds that can have an influence on a goal.
bool may_help(TuneKind kind, TuneGoal goal) {
  const bool about_failures =
      kind == TuneKind::retries || kind == TuneKind::timeout || kind == TuneKind::park;
  if (needs_silence(goal)) return kind != TuneKind::phases;
  return !about_failures;
}

// T04 is accepted at this line, gateway, slave or controller.
bool accepts_stall(const Plan& plan, const std::string& name) {
  return std::any_of(plan.accepts.begin(), plan.accepts.end(), [&](const model::Accept& accept) {
    return accept.rule && accept.at &&
           model::rule_code_from(accept.rule->value) == model::RuleCode::T04 &&
           accept.at->value.ends_with(" " + name);
  });
}

class Tuner {
 public:
  Tuner(const Plan& part, std::string line, bool stall_is_accepted, const TuneOptions& options)
      : part_(part),
        line_(std::move(line)),
        stall_is_accepted_(stall_is_accepted),
        options_(options) {}

  void run(std::vector<TuneAdvice>& out) {
    const Trial present = try_plan(part_, true);
    std::optional<std::size_t> queue;
    for (std::size_t q = 0; q < present.report.model.queues.size(); ++q) {
      const Queue& each = present.report.model.queues[q];
      if (each.name == line_ && !each.jobs.empty()) queue = q;
    }
    if (!queue) return;
    const auto remedies = internal::remedies_for(present.plan, present.report, *queue);
    const auto goal = [&](TuneGoal which) {
      if (reaches(present.state, which)) return;
      out.push_back(advise(present.state, which, remedies));
    };
    if (!reaches(present.state, TuneGoal::fit)) {
      goal(TuneGoal::fit);
      return;  // what a silent slave does matters once it fits
    }
    goal(TuneGoal::guarantee);
    // somebody has looked at it and can live with it
    if (stall_is_accepted_) return;
    goal(present.state.hurtful > 0 ? TuneGoal::endure : TuneGoal::endure_all);
  }

 private:
  TuneAdvice advise(const LineState& before, TuneGoal goal, const std::vector<Remedy>& remedies) {
    TuneAdvice advice{line_, goal, before, {}, 0, 0};
    for (const Remedy& remedy : remedies) {
      if (may_help(remedy.kind, goal)) try_sizes(remedy, goal, advice);
    }
    const auto cheap = [](TuneKind kind) { return kind <= TuneKind::park; };
    // two settings of the line together are less than longer periods or another line
    const bool has_cheap = std::any_of(advice.changes.begin(), advice.changes.end(),
                                       [&](const TuneChange& c) { return cheap(c.kind); });
    if (!has_cheap) try_pairs(remedies, goal, cheap, advice);
    if (advice.changes.empty())
      try_pairs(
          remedies, goal, [](TuneKind) { return true; }, advice);
    std::stable_sort(
        advice.changes.begin(), advice.changes.end(), [](const TuneChange& a, const TuneChange& b) {
          return std::pair(a.rests_on_defaults, a.kind) < std::pair(b.rests_on_defaults, b.kind);
        });
    if (advice.changes.size() > options_.most_changes) {
      advice.changes.resize(options_.most_changes);
    }
    return advice;
  }

  bool try_one(const std::vector<const Remedy::Size*>& sizes, TuneKind kind, TuneGoal goal,
               TuneAdvice& advice) {
    Plan plan = part_;
    std::string text;
    std::string cost;
    bool rests_on_defaults = false;
    for (const Remedy::Size* size : sizes) {
      rests_on_defaults = rests_on_defaults || size->rests_on_defaults;
      size->apply(plan);
      text += (text.empty() ? "" : ", and ") + size->text;
      cost += (cost.empty() ? "" : "; ") + size->cost;
    }
    internal::change_together(part_, plan);
    model::Fix fix = internal::edits_between(part_, plan, text);
    ++advice.tried;
    // health first: it is the cheaper question
    Trial trial = try_plan(std::move(plan), false);
    if (!reaches(trial.state, needs_silence(goal) ? TuneGoal::fit : goal)) return false;
    trial.state = state_of(trial.plan, trial.report, true);
    if (!reaches(trial.state, goal)) return false;
    advice.changes.push_back(
        {kind, std::move(text), std::move(cost), trial.state, std::move(fix), rests_on_defaults});
    return true;
  }

  // The first size that is enough, and the least that halving finds between it and the one before.
  void try_sizes(const Remedy& remedy, TuneGoal goal, TuneAdvice& advice) {
    std::int64_t too_little = remedy.present;
    for (const Remedy::Size& size : remedy.sizes) {
      if (try_one({&size}, remedy.kind, goal, advice)) {
        if (remedy.of_amount) refine(remedy, too_little, size.amount, goal, advice);
        return;
      }
      too_little = size.amount;
    }
  }

  void refine(const Remedy& remedy, std::int64_t too_little, std::int64_t enough, TuneGoal goal,
              TuneAdvice& advice) {
    while (std::abs(enough - too_little) > 1) {
      const std::int64_t middle = too_little + (enough - too_little) / 2;
      const Remedy::Size size = remedy.of_amount(middle);
      if (try_one({&size}, remedy.kind, goal, advice)) {
        advice.changes.erase(advice.changes.end() - 2);
        enough = middle;
      } else {
        too_little = middle;
      }
    }
  }

  // Each kind in its largest size with the least size of another that is then enough.
  void try_pairs(const std::vector<Remedy>& remedies, TuneGoal goal,
                 const std::function<bool(TuneKind)>& which, TuneAdvice& advice) {
    for (std::size_t a = 0; a < remedies.size(); ++a) {
      for (std::size_t b = a + 1; b < remedies.size(); ++b) {
        const TuneKind first = remedies[a].kind;
        const TuneKind second = remedies[b].kind;
        if (first == second || !may_help(first, goal) || !may_help(second, goal) || !which(first) ||
            !which(second) || advice.changes.size() >= options_.most_changes) {
          continue;
        }
        // of two cheap ones it is as grave as the graver
        const TuneKind both = second <= TuneKind::park ? second : TuneKind::both;
        for (const Remedy::Size& size : remedies[b].sizes) {
          if (try_one({&remedies[a].sizes.back(), &size}, both, goal, advice)) break;
        }
      }
    }
  }

  const Plan& part_;
  std::string line_;
  bool stall_is_accepted_;
  const TuneOptions& options_;
};

}  // namespace

std::string_view to_string(TuneGoal goal) {
  switch (goal) {
    case TuneGoal::fit: return "fit";
    case TuneGoal::guarantee: return "guarantee";
    case TuneGoal::endure: return "endure";
    case TuneGoal::endure_all: return "endure all";
  }
  return {};
}

std::string_view to_string(TuneKind kind) {
  switch (kind) {
    case TuneKind::phases: return "phases";
    case TuneKind::retries: return "retries";
    case TuneKind::timeout: return "timeout";
    case TuneKind::park: return "park";
    case TuneKind::period: return "period";
    case TuneKind::baud: return "baud";
    case TuneKind::split: return "split";
    case TuneKind::both: return "two changes";
  }
  return {};
}

std::vector<TuneAdvice> tune(const ResolvedPlan& resolved, const TuneOptions& options) {
  std::vector<TuneAdvice> advice;
  const auto timing = timing::build_timing_model(resolved);
  const auto islands = timing::islands_of(timing);
  for (std::size_t i = 0; i < islands.size(); ++i) {
    const auto& island = islands[i];
    // of queues that share something the first one in use stands for all
    const auto used = std::find_if(island.begin(), island.end(),
                                   [&](std::size_t q) { return !timing.queues[q].jobs.empty(); });
    std::size_t transactions = 0;
    for (std::size_t q : island) transactions += timing.queues[q].jobs.size();
    if (transactions > most_tuned_transactions) {
      TuneAdvice left_out;
      left_out.line = timing.queues[*used].name;
      left_out.before.utilisation_percent = timing::utilisation_percent(timing.queues[*used]);
      left_out.too_many = transactions;
      advice.push_back(std::move(left_out));
    } else if (used != island.end()) {
      const Plan part = part_of(resolved, timing, island);
      const std::string& name = timing.queues[*used].name;
      Tuner(part, name, accepts_stall(resolved.plan, name), options).run(advice);
    }
    if (options.progress) {
      options.progress(static_cast<double>(i + 1) / static_cast<double>(islands.size()));
    }
  }
  return advice;
}

}  // namespace greymet::packing
