// Family T, second half: who keeps whom waiting (T04, T08, T09).
#include <algorithm>
#include <map>
#include <set>

#include "checks/rules.h"
#include "common/line_text.h"
#include "common/rule_text.h"
#include "model/boundaries.h"
#include "model/resolved_plan.h"
#include "stall_cures.h"
#include "timing/bounds.h"
#include "timing/stalls.h"

namespace greymet::checks {

using timing::FailingJob;
using timing::Job;
using timing::JobRef;
using timing::Queue;
using timing::Stall;
using timing::StallKind;

namespace {

constexpr std::size_t most_sufferers_named = 3;
constexpr std::size_t most_jobs = 1000;  // that are counted as sufferers

class StallRules {
 public:
  StallRules(const RuleInput& in, const timing::TimingReport& timing, Findings& out)
      : plan_(in.plan),
        timing_(timing),
        stalls_(timing.stalls),
        cures_(in.plan, timing),
        out_(out) {}

  void check() {
    check_silent_slaves();
    check_continuous();
    check_shared_gateways();
    check_shared_slaves();
  }

 private:
  [[nodiscard]] const Job& job_at(JobRef ref) const {
    return timing_.model.queues[ref.queue].jobs[ref.job];
  }
  [[nodiscard]] const model::ResolvedTransaction& transaction(const Job& job) const {
    return plan_.transactions[job.transaction];
  }
  [[nodiscard]] const std::string& name_of(const Job& job) const {
    return plan_.declared(transaction(job)).name;
  }

  // Jobs of others whose period is shorter than the stall, the quickest first; at most `limit`.
  [[nodiscard]] std::vector<JobRef> sufferers(const Stall& stall, StallKind kind,
                                              std::size_t limit) const {
    return jobs_hurt(plan_, timing_.model, stalls_, stall, kind, limit);
  }
  [[nodiscard]] bool hurts(const Stall& stall, StallKind kind) const {
    return !sufferers(stall, kind, 1).empty();
  }

  // T04, gathered per line: the slave with the longest stall, and how many are like it.
  void check_silent_slaves() {
    std::map<model::Subject, std::vector<const Stall*>> by_owner;
    std::vector<model::Subject> order;
    for (const Stall& stall : stalls_.stalls) {
      if (!hurts(stall, StallKind::first)) continue;
      const auto& t = transaction(job_at(stall.failing.front().job));
      const auto silence_owner = internal::silence_owner(plan_, t);
      if (!silence_owner.is_known) continue;
      const model::Subject& owner = silence_owner.subject;
      if (by_owner[owner].empty()) order.push_back(owner);
      by_owner[owner].push_back(&stall);
    }
    for (const model::Subject& owner : order) report_stalls(by_owner[owner]);
  }

  // Those that hurt, the worst first.
  [[nodiscard]] std::vector<const Stall*> with_first(const Stall& worst,
                                                     const std::vector<const Stall*>& stalls,
                                                     bool bites) const {
    std::vector<const Stall*> all{&worst};
    for (const Stall* s : stalls) {
      if (s != &worst && (!bites || hurts(*s, StallKind::steady))) all.push_back(s);
    }
    return all;
  }

  void report_stalls(const std::vector<const Stall*>& stalls) {
    const auto steady = [&](const Stall* s) { return hurts(*s, StallKind::steady); };
    const bool bites = std::any_of(stalls.begin(), stalls.end(), steady);
    const Stall* worst = nullptr;
    std::size_t alike = 0;
    for (const Stall* s : stalls) {
      if (bites && !steady(s)) continue;
      ++alike;
      if (worst == nullptr || (bites ? s->steady > worst->steady : s->first > worst->first)) {
        worst = s;
      }
    }
    const Duration length = bites ? worst->steady : worst->first;
    const auto hurt = sufferers(*worst, bites ? StallKind::steady : StallKind::first, most_jobs);
    std::vector<std::string> names;
    for (const JobRef ref : hurt) {
      if (names.size() == most_sufferers_named) break;
      names.push_back(
          fmt::format("{} (every {})", name_of(job_at(ref)), to_text(job_at(ref).period)));
    }
    const FailingJob& failing = worst->failing.front();
    const auto& t = transaction(job_at(failing.job));
    const auto owner = internal::silence_owner(plan_, t);
    const std::string others = hurt.size() > names.size()
                                   ? fmt::format(" and {} more", hurt.size() - names.size())
                                   : std::string();
    const std::string when =
        bites ? std::string(worst->park ? "each time it is tried" : "again and again")
              : fmt::format("until it is parked after {} failures", worst->park->after);
    const std::string more = alike > 1 ? fmt::format("; {} more {} the same", alike - 1,
                                                     alike == 2 ? "slave does" : "slaves do")
                                       : std::string();
    // once is bearable while it costs a few values, not many
    constexpr int few = 3;
    const bool grave = bites || length > few * job_at(hurt.front()).period;
    report(
        out_, RuleCode::T04, grave ? Severity::warning : Severity::note, owner.place, owner.subject,
        fmt::format("if {} is silent it stalls the others for {} {} ({} transaction{}, {} each): "
                    "{}{} must wait{}",
                    plan_.target_name(worst->silent), in_ms(length), when, worst->counted,
                    worst->counted == 1 ? "" : "s", tries_text(failing), fmt::join(names, ", "),
                    others, more),
        cures_.text(with_first(*worst, stalls, bites), owner.subject, bites,
                    t.channel->line.has_value(),
                    [&](const Stall& changed, StallKind kind) { return !hurts(changed, kind); }));
  }

  // What one of them takes: its tries, or connecting to a host that is off.
  [[nodiscard]] static std::string tries_text(const FailingJob& failing) {
    if (failing.host_off > failing.tries * failing.timeout) {
      return fmt::format("connect_timeout {}", to_text(failing.host_off));
    }
    return fmt::format("{} x {}", failing.tries, to_text(failing.timeout));
  }

  // T08
  void check_continuous() {
    for (const timing::LineReport& line : timing_.lines) {
      if (!line.queue || line.overloaded()) continue;
      const Queue& queue = timing_.model.queues[*line.queue];
      const Duration longest = timing::longest_continuous(queue);
      for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
        const Job& job = queue.jobs[j];
        if (timing::is_released(job.kind)) continue;
        if (!line.transactions[j].interval_bound) {
          report(out_, RuleCode::T08, Severity::warning, transaction(job).trigger->place,
                 subject_of(plan_.declared(transaction(job))),
                 "may never get its turn: nothing bounds how long the others can keep the line",
                 "give it a period, or the others longer ones");
        } else if (job.times.longest + queue.scan == longest) {
          check_starved_by(line, queue, job);
        }
      }
    }
  }

  // Cyclic jobs that would keep their period if this continuous one were not there.
  void check_starved_by(const timing::LineReport& line, const Queue& queue, const Job& continuous) {
    const Duration longest = timing::longest_continuous(queue);
    std::vector<const Job*> hurt;
    for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
      const auto& bound = line.transactions[j].response_bound;
      const Duration period = queue.jobs[j].period;
      if (queue.jobs[j].kind != TriggerKind::cyclic || !bound) continue;
      if (*bound > period && *bound - longest <= period) hurt.push_back(&queue.jobs[j]);
    }
    if (hurt.empty()) return;
    const std::string more =
        hurt.size() > 1 ? fmt::format(" and {} more", hurt.size() - 1) : std::string();
    report(out_, RuleCode::T08, Severity::warning, transaction(continuous).trigger->place,
           subject_of(plan_.declared(transaction(continuous))),
           fmt::format("each run takes up to {} of the line; without it {}{} would surely keep the "
                       "period of {}",
                       in_ms(longest), name_of(*hurt.front()), more, to_text(hurt.front()->period)),
           "give it a period, read fewer registers at a time, or lengthen the others' periods");
  }

  // T09: gateways
  void check_shared_gateways() {
    std::map<std::size_t, std::vector<const Queue*>> by_line;
    for (const Queue& queue : timing_.model.queues) {
      if (queue.kind == timing::QueueKind::gateway && queue.line && !queue.jobs.empty()) {
        by_line[*queue.line].push_back(&queue);
      }
    }
    for (const auto& [index, queues] : by_line) {
      if (queues.size() < 2) continue;
      const model::Line& line = plan_.plan.lines[index];
      std::vector<std::string> costs;
      for (const Queue* queue : queues) {
        std::int64_t jobs = 0;
        for (const Job& job : queue->jobs) jobs += timing::is_released(job.kind) ? 1 : 0;
        const Duration share = timing::foreign_share(timing_.model, *queue);
        costs.push_back(fmt::format("{} waits up to {} more per request, {} per round of {}",
                                    plan_.plan.controllers[queue->controller].name, in_ms(share),
                                    in_ms(jobs * share), jobs));
      }
      report(out_, RuleCode::T09, Severity::warning, line.place,
             model::Subject{model::SubjectKind::line, line.name},
             fmt::format("{} masters share it and know nothing of each other: {}", queues.size(),
                         fmt::join(costs, "; ")),
             "let one master read and pass the values on, or accept it with these numbers");
    }
  }

  // T09 at a slave: its reply time must allow for the other master's request.
  void check_shared_slaves() {
    std::map<std::size_t, std::set<std::size_t>> masters;
    for (const Queue& queue : timing_.model.queues) {
      if (queue.kind != timing::QueueKind::tcp) continue;
      for (const Job& job : queue.jobs) {
        const auto& target = transaction(job).target;
        if (!target->is_peer) masters[target->index].insert(queue.controller);
      }
    }
    for (const auto& [index, controllers] : masters) {
      if (controllers.size() < 2) continue;
      const model::Slave& slave = plan_.plan.slaves[index];
      report(
          out_, RuleCode::T09, Severity::note, place_or(slave.reply, slave.place),
          subject_of(slave),
          fmt::format("{} masters ask it: its reply `max` of {} must include serving the other's "
                      "request first",
                      controllers.size(), to_text(plan_.exchange.slaves[index].reply.max)),
          "measure reply with both masters running, or state twice what one master sees");
    }
  }

  const model::ResolvedPlan& plan_;
  const timing::TimingReport& timing_;
  const timing::StallReport& stalls_;
  internal::StallCures cures_;
  Findings& out_;
};

}  // namespace

void check_stalls(const RuleInput& in, Findings& out) {
  StallRules(in, in.timing(), out).check();
}

}  // namespace greymet::checks
