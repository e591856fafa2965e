// Family T, first half: does it fit (T01 to T03, T05, T07, T10).
#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <set>

#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/line_text.h"
#include "common/rule_text.h"
#include "model/boundaries.h"
#include "model/resolved_plan.h"
#include "model/utf8_text.h"
#include "timing/simulation.h"

namespace greymet::checks {

using internal::line_place;
using internal::line_subject;
using timing::Job;
using timing::LineReport;
using timing::Queue;
using timing::TransactionReport;

namespace {

constexpr double busy_share = 0.8;  // of all there is

// As somebody would write it, and no shorter: 270 ms as 300 ms.
Duration usual_period(Duration least) {
  using std::chrono::seconds;
  if (least <= milliseconds(100)) return rounded_up(least, milliseconds(10));
  if (least <= seconds(1)) return rounded_up(least, milliseconds(50));
  if (least <= seconds(10)) return rounded_up(least, milliseconds(500));
  return rounded_up(least, seconds(1));
}

class TimeRules {
 public:
  TimeRules(const RuleInput& in, const timing::TimingReport& timing, Findings& out)
      : plan_(in.plan), timing_(timing), out_(out), stop_(in.stop) {}

  void check() {
    for (const model::ResolvedTransaction& t : plan_.transactions) check_period(t);
    for (const LineReport& line : timing_.lines) {
      const auto use = check_use(line);
      if (!line.queue) continue;
      const Queue& queue = timing_.model.queues[*line.queue];
      for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
        check_response(line, queue, j, use);
      }
      check_timeout(queue);
      check_tries(line, queue);
      check_span(line, queue);
    }
  }

 private:
  [[nodiscard]] const model::Transaction& declared(const Job& job) const {
    return plan_.declared(plan_.transactions[job.transaction]);
  }
  [[nodiscard]] model::Range period_place(const Job& job) const {
    return plan_.transactions[job.transaction].trigger->place;
  }

  // T05
  void check_period(const model::ResolvedTransaction& t) {
    if (!t.trigger || t.trigger->kind != TriggerKind::cyclic || !t.controller) return;
    const model::Controller& c = plan_.plan.controllers[*t.controller];
    const Duration period = t.trigger->period;
    const model::Subject subject = subject_of(plan_.declared(t));
    if (c.scan && period < c.scan->value) {
      report(out_, RuleCode::T05, Severity::error, t.trigger->place, subject,
             fmt::format("runs every {}, but the program of controller {} only once in {}",
                         to_text(period), c.name, to_text(c.scan->value)),
             {}, {{c.scan->place, "the scan is here"}});
      internal::cure_by_keys(
          out_, fmt::format("write every = \"{}\" or more", to_text(c.scan->value)),
          t.trigger->place, {{"every", internal::toml_text(c.scan->value)}}, false);
      // of several it may be the scan that is wrong
      constexpr std::size_t several = 3;
      if (too_fast_for(*t.controller) >= several) {
        out_.back().about = fmt::format("scan of {}", c.name);
        internal::make_question(out_);
      }
      return;
    }
    if (!c.model || !c.model->period_step || c.model->period_step->value <= Duration{}) return;
    const Duration step = c.model->period_step->value;
    if (period % step == Duration{}) return;
    report(out_, RuleCode::T05, Severity::warning, t.trigger->place, subject,
           fmt::format("runs every {}; controller {} counts periods in steps of {}",
                       to_text(period), c.name, to_text(step)),
           {}, {{c.model->period_step->place, "the step is stated here"}});
    internal::cure_by_keys(
        out_, fmt::format("write every = \"{}\"", to_text(rounded_up(period, step))),
        t.trigger->place, {{"every", internal::toml_text(rounded_up(period, step))}}, false);
  }

  // Transactions of a controller that are asked for more often than its program runs.
  [[nodiscard]] std::size_t too_fast_for(model::ControllerIndex controller) {
    if (too_fast_.empty()) {
      too_fast_.resize(plan_.plan.controllers.size());
      for (const model::ResolvedTransaction& t : plan_.transactions) {
        if (!t.controller || !t.trigger || t.trigger->kind != TriggerKind::cyclic) continue;
        const auto& scan = plan_.plan.controllers[*t.controller].scan;
        if (scan && t.trigger->period < scan->value) ++too_fast_[*t.controller];
      }
    }
    return too_fast_[controller];
  }

  // T01. Returns its severity, so that T02 does not repeat it.
  std::optional<Severity> check_use(const LineReport& line) {
    const double use = line.utilisation_percent;
    const double full = line.full_percent();
    const double busy = full * busy_share;
    const bool crowded = line.cyclic_percent > busy;  // whatever happens
    if (!crowded && use <= full) return std::nullopt;
    const Severity severity = line.overloaded() ? Severity::error : Severity::warning;
    const Job* largest = nullptr;
    double largest_share = 0;
    const Job* requested = nullptr;  // on a bit or a change: min_gap says how often
    double requested_share = 0;
    double impossible = 0;  // what is asked for more often than the program can send (T05)
    for (const Queue& queue : timing_.model.queues) {
      const bool here = line.queue ? &queue == &timing_.model.queues[*line.queue]
                                   : queue.line && plan_.plan.lines[*queue.line].name == line.name;
      if (!here) continue;
      for (const Job& job : queue.jobs) {
        if (!timing::recurs(job)) continue;
        const Duration held = line.queue ? job.times.longest : job.times.serial_longest();
        const double share =
            100 * static_cast<double>(held.count()) / static_cast<double>(job.period.count());
        if (line.queue && is_impossible(job, queue)) {
          const Duration scan = plan_.plan.controllers[queue.controller].scan->value;
          impossible +=
              share - 100 * static_cast<double>(held.count()) / static_cast<double>(scan.count());
          continue;
        }
        if (share > largest_share) {
          largest_share = share;
          largest = &job;
        }
        const bool on_request =
            job.kind == TriggerKind::on_bit || job.kind == TriggerKind::on_change;
        if (on_request && share > requested_share) {
          requested_share = share;
          requested = &job;
        }
      }
    }
    if (largest == nullptr) return std::nullopt;
    // it is T05 alone that is too much: the rest would fit beside it, once a scan
    if (severity == Severity::error && impossible > 0 && line.cyclic_percent - impossible <= full) {
      return severity;
    }
    const std::string said =
        crowded ? fmt::format("{:.1f} % used by the longest durations: {}", line.cyclic_percent,
                              line.overloaded() ? "more than there is time for"
                                                : "little room is left for failures and retries")
                : fmt::format(
                      "{:.1f} % used, and {:.1f} % if {} as often as `min_gap` allows: {} at "
                      "once take {}",
                      line.cyclic_percent, use,
                      line.on_request == 1 ? "the one on request comes" : "all on request come",
                      model::counted(line.on_request, "request"), in_ms(line.burst));
    // what is rare in practice is the first to doubt
    const bool doubtful = requested != nullptr && busy > use - requested_share;
    report(out_, RuleCode::T01, severity, line_place(plan_, timing_, line),
           line_subject(plan_, timing_, line), said,
           doubtful   ? cure_for_use(line, *requested, requested_share)
           : !crowded ? cure_for_requests(line)
                      : cure_for_use(line, *largest, largest_share));
    return severity;
  }

  // Faster than the program that sends it (T05, an error).
  [[nodiscard]] bool is_impossible(const Job& job, const Queue& queue) const {
    const auto& scan = plan_.plan.controllers[queue.controller].scan;
    return job.kind == TriggerKind::cyclic && scan && job.period < scan->value;
  }

  // Longer gaps for all that comes on request.
  [[nodiscard]] static std::string cure_for_requests(const LineReport& line) {
    const double requests = line.utilisation_percent - line.cyclic_percent;
    return fmt::format(
        "make each `min_gap` {:.1f} times as long, or accept it if they never come so often",
        std::ceil(10 * requests / (line.full_percent() - line.cyclic_percent)) / 10);
  }

  // A longer period for the largest consumer, where that alone is enough.
  [[nodiscard]] std::string cure_for_use(const LineReport& line, const Job& job,
                                         double share) const {
    const double use = line.utilisation_percent;
    const double busy = line.full_percent() * busy_share;
    const double room = busy - (use - share);
    const bool serial = line.character_ms.has_value();
    const std::string_view or_else =
        serial ? "raise the baud, or split the line" : "ask for less in fewer requests";
    if (room <= 0) {
      return fmt::format("make all periods {:.1f} times as long, {}",
                         std::ceil(10 * use / busy) / 10, or_else);
    }
    const double wanted = static_cast<double>(job.period.count()) * share / room;
    const Duration step = job.period >= milliseconds(1000) ? milliseconds(100) : milliseconds(10);
    const Duration period = rounded_up(Duration(static_cast<std::int64_t>(wanted)), step);
    const double left =
        use - share +
        share * static_cast<double>(job.period.count()) / static_cast<double>(period.count());
    const bool on_request = job.kind == TriggerKind::on_bit || job.kind == TriggerKind::on_change;
    if (on_request) {
      return fmt::format(
          "{} is counted as often as its min_gap of {} allows, {:.1f} %: min_gap = \"{}\" there "
          "leaves {:.1f} %",
          declared(job).name, to_text(job.period), share, to_text(period), left);
    }
    const auto& target = plan_.transactions[job.transaction].target;
    if (target && target->is_peer) {
      const auto& scan = plan_.plan.controllers[target->index].scan;
      const Duration reply =
          job.times.network ? job.times.network->slave_longest : timing::longest_reply(job.times);
      if (scan && 2 * reply > job.times.longest) {
        return fmt::format(
            "{} waits up to {} of its {} for controller {}, whose scan of {} decides when it "
            "answers; every = \"{}\" there leaves {:.1f} %",
            declared(job).name, in_ms(reply), in_ms(job.times.longest),
            plan_.plan.controllers[target->index].name, to_text(scan->value), to_text(period),
            left);
      }
    }
    return fmt::format("{} takes {:.1f} % of it: every = \"{}\" there leaves {:.1f} %; or {}",
                       declared(job).name, share, to_text(period), left, or_else);
  }

  // Releases that are lost although nothing comes on request.
  std::uint64_t missed_without_requests(std::size_t transaction) {
    if (!without_requests_) {
      timing::TimingModel quiet = timing_.model;
      for (Queue& queue : quiet.queues) {
        std::erase_if(queue.jobs, [](const Job& job) {
          return job.kind == TriggerKind::on_bit || job.kind == TriggerKind::on_change;
        });
      }
      timing::SimulationOptions options;
      options.stop = stop_;
      const auto seen = timing::simulate(quiet, options);
      without_requests_.emplace();
      for (std::size_t q = 0; q < quiet.queues.size(); ++q) {
        for (std::size_t j = 0; j < quiet.queues[q].jobs.size(); ++j) {
          (*without_requests_)[quiet.queues[q].jobs[j].transaction] = seen[q].jobs[j].missed;
        }
      }
    }
    return (*without_requests_)[transaction];
  }

  // T02
  void check_response(const LineReport& line, const Queue& queue, std::size_t j,
                      std::optional<Severity> use) {
    const Job& job = queue.jobs[j];
    const TransactionReport& t = line.transactions[j];
    if (job.kind != TriggerKind::cyclic || !t.response_bound || is_impossible(job, queue)) return;
    const model::Subject subject = subject_of(declared(job));
    // another period moves the releases against each other: only the bound of any phases stays
    const Duration stays = usual_period(t.response_bound_any_phase.value_or(*t.response_bound));
    const std::string slower = fmt::format(
        "write every = \"{}\", or see `greymet timing` for what it waits for", to_text(stays));
    if (t.missed > 0) {
      if (use == Severity::error) return;
      const std::string lost =
          fmt::format("{} {} lost in {} simulated", t.missed,
                      t.missed == 1 ? "release was" : "releases were", to_text(line.simulated));
      if (line.on_request > 0 && missed_without_requests(job.transaction) == 0) {
        report(out_, RuleCode::T02, Severity::warning, period_place(job), subject,
               fmt::format("misses its period of {} when requests come as often as `min_gap` "
                           "allows: {}; without them it keeps it",
                           to_text(job.period), lost),
               slower);
        return;
      }
      report(out_, RuleCode::T02, Severity::error, period_place(job), subject,
             fmt::format("misses its period of {}: even with all slaves well, {}",
                         to_text(job.period), lost),
             slower);
      cure_period(job, stays);
    } else if (*t.response_bound > job.period && !use && !only_because_of_continuous(queue, t)) {
      report(out_, RuleCode::T02, Severity::warning, period_place(job), subject,
             fmt::format("its period of {} is not guaranteed: a response may take up to {}; {} was "
                         "the longest simulated",
                         to_text(job.period), in_ms(*t.response_bound),
                         t.response_simulated ? in_ms(*t.response_simulated) : "none"),
             slower);
      cure_period(job, stays);
    }
  }

  void cure_period(const Job& job, Duration period) {
    internal::cure_by_keys(out_, fmt::format("write every = \"{}\"", to_text(period)),
                           period_place(job), {{"every", internal::toml_text(period)}}, false);
    internal::make_question(out_);  // how old a value may be is the plant's
  }

  // Then T08 speaks of the continuous one.
  [[nodiscard]] static bool only_because_of_continuous(const Queue& queue,
                                                       const TransactionReport& t) {
    const Duration longest = timing::longest_continuous(queue);
    return longest > Duration{} && *t.response_bound - longest <= *t.period;
  }

  // T03: gathered per line, because the timeout belongs to it.
  void check_timeout(const Queue& queue) {
    std::set<std::string> slow;
    const Job* worst = nullptr;
    Duration longest{};
    for (const Job& job : queue.jobs) {
      if (job.times.broadcast) continue;
      const Duration reply = timing::longest_reply(job.times);
      if (reply <= job.times.timeout) continue;
      slow.insert(plan_.target_name(*plan_.transactions[job.transaction].target));
      if (reply > longest) {
        longest = reply;
        worst = &job;
      }
    }
    if (worst == nullptr) return;
    const auto& t = plan_.transactions[worst->transaction];
    const auto owner = internal::timeout_owner(plan_, t);
    if (!owner.is_known) return;
    const std::string more =
        slow.size() > 1 ? fmt::format("; {} slaves can be too late", slow.size()) : "";
    report(out_, RuleCode::T03, Severity::error, owner.place, owner.subject,
           fmt::format("timeout {} is shorter than the longest answer of {} to {}: {} to its {} "
                       "byte{}{}",
                       to_text(worst->times.timeout), plan_.target_name(*t.target),
                       declared(*worst).name, in_ms(longest),
                       worst->times.timeout_to_first ? "first" : "last",
                       worst->times.assumed.contains(model::FactKind::reply)
                           ? " (with the default reply time)"
                           : "",
                       more),
           {}, {{declared(*worst).place, "this transaction"}});
    const Duration timeout = rounded_up(longest, milliseconds(10));
    internal::cure_by_keys(out_, fmt::format("write timeout = \"{}\"", to_text(timeout)),
                           owner.place, {{"timeout", internal::toml_text(timeout)}}, false);
  }

  // T07: gathered per line.
  void check_tries(const LineReport& line, const Queue& queue) {
    std::size_t count = 0;
    const Job* worst = nullptr;
    const auto all_tries = [](const Job& job) {
      const timing::FailureTimes failure = timing::failure_times(job.times);
      return failure.tries * failure.timeout;
    };
    for (const Job& job : queue.jobs) {
      if (job.kind != TriggerKind::cyclic || job.times.broadcast) continue;
      if (all_tries(job) <= job.period) continue;
      ++count;
      if (worst == nullptr || job.period < worst->period) worst = &job;
    }
    if (worst == nullptr) return;
    if (!internal::silence_owner(plan_, plan_.transactions[worst->transaction]).is_known) return;
    const timing::FailureTimes failure = timing::failure_times(worst->times);
    const std::string more = count > 1 ? fmt::format(", as are those of {} more", count - 1) : "";
    // the plant then stands still for as long: a number that cannot be meant
    const bool endless =
        all_tries(*worst) >= std::chrono::minutes(1) && all_tries(*worst) >= 100 * worst->period;
    report(
        out_, RuleCode::T07, endless ? Severity::warning : Severity::note, period_place(*worst),
        line_subject(plan_, timing_, line),
        fmt::format("the tries of {} to a silent slave take {} ({} x {}), longer than its period "
                    "of {}{}: it then runs at the pace of its timeouts",
                    declared(*worst).name, to_text(all_tries(*worst)), failure.tries,
                    to_text(failure.timeout), to_text(worst->period), more),
        cure_for_tries(*worst, queue));
  }

  // A timeout that fits into the period, if all slaves under it answer in time.
  [[nodiscard]] static std::string cure_for_tries(const Job& worst, const Queue& queue) {
    Duration longest{};
    for (const Job& job : queue.jobs) {
      if (!job.times.broadcast) longest = std::max(longest, timing::least_wait(job.times));
    }
    const timing::FailureTimes failure = timing::failure_times(worst.times);
    for (const std::int64_t tries : {failure.tries, std::int64_t{1}}) {
      const Duration timeout = model::rounded_down(worst.period / tries, milliseconds(10));
      if (timeout < longest || timeout <= Duration{}) continue;
      return fmt::format("write timeout = \"{}\"{} (the longest answer takes {}), or accept it",
                         to_text(std::min(timeout, failure.timeout)),
                         tries == 1 && failure.tries > 1 ? " and retries = 0" : "", in_ms(longest));
    }
    return "a longer period, or accept it";
  }

  // T10
  void check_span(const LineReport& line, const Queue& queue) {
    if (queue.jobs.empty() || line.simulation_complete) return;
    const auto hyperperiod =
        timing::hyperperiod(timing_.model, {*line.queue}, std::chrono::hours(24 * 366));
    report(
        out_, RuleCode::T10, Severity::note, line_place(plan_, timing_, line),
        line_subject(plan_, timing_, line),
        fmt::format("{} of its time were simulated, and what can happen had not repeated by then: "
                    "its periods come together {}",
                    to_text(model::rounded_down(line.simulated, milliseconds(1000))),
                    hyperperiod ? fmt::format("every {}", to_text(*hyperperiod))
                                : std::string("less than once a year")),
        timing::longest_continuous(queue) > Duration{}
            ? "rely on the bounds here: what runs continuously seldom repeats exactly"
            : "rely on the bounds here, or choose periods that divide each other");
  }

  const model::ResolvedPlan& plan_;
  const timing::TimingReport& timing_;
  Findings& out_;
  std::stop_token stop_;
  std::vector<std::size_t> too_fast_;  // per controller, once asked for
  std::optional<std::map<std::size_t, std::uint64_t>> without_requests_;  // by transaction
};

}  // namespace

void check_times(const RuleInput& in, Findings& out) {
  TimeRules(in, in.timing(), out).check();
}

}  // namespace greymet::checks
