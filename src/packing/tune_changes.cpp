#include "tune_changes.h"

#include <algorithm>
#include <array>
#include <memory>
#include <set>

#include <fmt/format.h>

#include "model/boundaries.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "model/unfold_alike.h"
#include "timing/phases.h"
#include "tune_edits.h"

namespace greymet::packing::internal {

using model::Duration;
using model::Located;
using model::Plan;
using model::ResolvedPlan;
using model::rounded_up;
using model::to_text;
using std::chrono::milliseconds;
using timing::Job;
using timing::Queue;

namespace {

constexpr std::array<std::int64_t, 9> rates{2400,  4800,  9600,   19200, 38400,
                                            57600, 76800, 115200, 230400};
constexpr std::array<std::int64_t, 8> factors{125, 150, 200, 250, 300, 400, 500, 1000};  // of 100
constexpr Duration timeout_step = milliseconds(10);
constexpr std::size_t most_values_named = 12;
constexpr std::size_t most_single_periods = 6;
constexpr std::size_t timeouts_tried = 8;

std::int64_t steps_up(Duration value, Duration step) {
  return rounded_up(value, step) / step;
}

std::string factor_text(std::int64_t hundredths) {
  return fmt::format("{:g}", static_cast<double>(hundredths) / 100);
}

template <class T>
void declare(model::Declared<T>& value, T to) {
  value = Located<T>{std::move(to), value ? value->place : model::Range{}};
}

// Shared by the remedies it finds, which ask it for sizes on their scale.
class RemedyFinder : public std::enable_shared_from_this<RemedyFinder> {
 public:
  RemedyFinder(const ResolvedPlan& plan, const timing::TimingReport& report, std::size_t queue)
      : plan_(plan),
        model_(report.model),
        index_(queue),
        queue_(report.model.queues[queue]),
        period_step_(timing::phase_step(plan.plan.controllers[queue_.controller])) {
    for (const Job& job : queue_.jobs) {
      const auto& t = plan_.transactions[job.transaction];
      if (!t.target->is_peer && !job.times.broadcast) slaves_.insert(t.target->index);
      if (!job.times.broadcast) longest_ = std::max(longest_, least_wait(job.times));
    }
  }

  std::vector<Remedy> find() {
    add_phases();
    add_retries();
    add_timeouts();
    add_park();
    add_periods();
    if (queue_.line) {
      add_bauds();
      add_splits();
    }
    std::erase_if(remedies_, [](const Remedy& remedy) { return remedy.sizes.empty(); });
    return std::move(remedies_);
  }

 private:
  [[nodiscard]] const model::Transaction& declared(const Job& job) const {
    return plan_.declared(plan_.transactions[job.transaction]);
  }
  // As its row is called.
  [[nodiscard]] const std::string& name_of(const Job& job) const {
    const auto found = plan_.plan.written_as.find(subject_of(declared(job)));
    return found == plan_.plan.written_as.end() ? declared(job).name : found->second.name;
  }
  // A transparent gateway, or one that says nothing of a silent slave, leaves it to the master.
  [[nodiscard]] std::optional<std::size_t> gateway_of_master() const {
    for (const Job& job : queue_.jobs) {
      const auto& gateway = plan_.transactions[job.transaction].channel->gateway;
      if (gateway && (job.times.timeout_of_master || job.times.silent_gateway)) return gateway;
    }
    return std::nullopt;
  }

  // Sets the timeout or the retries wherever this line's are written.
  [[nodiscard]] std::function<void(Plan&)> everywhere(std::optional<Duration> timeout,
                                                      std::optional<std::int64_t> retries) const {
    const auto line = queue_.line;
    const auto gateway = gateway_of_master();
    const auto slaves = slaves_;
    return [=](Plan& plan) {
      const auto set = [&](auto& owner) {
        if (timeout) declare(owner.timeout, *timeout);
        if (retries) declare(owner.retries, *retries);
      };
      if (gateway) {
        set(plan.gateways[*gateway]);
      } else if (line) {
        set(plan.lines[*line]);
      } else {
        for (std::size_t slave : slaves) set(plan.slaves[slave]);
      }
    };
  }
  [[nodiscard]] std::string owner() const {
    if (const auto gateway = gateway_of_master()) {
      return fmt::format("gateway {}", plan_.plan.gateways[*gateway].name);
    }
    if (queue_.line) return fmt::format("line {}", plan_.plan.lines[*queue_.line].name);
    std::vector<std::string> names;
    for (std::size_t slave : slaves_) names.push_back(plan_.plan.slaves[slave].name);
    return fmt::format("slave{} {}", names.size() == 1 ? "" : "s", fmt::join(names, ", "));
  }

  void add_phases() {
    const auto proposal = timing::propose_phases(model_, index_, period_step_);
    if (!proposal) return;
    std::vector<std::pair<std::size_t, Duration>> changes;
    Plan changed = plan_.plan;
    for (std::size_t j = 0; j < queue_.jobs.size(); ++j) {
      if (proposal->phases[j] == queue_.jobs[j].phase) continue;
      const std::size_t transaction = plan_.transactions[queue_.jobs[j].transaction].declared;
      changes.emplace_back(transaction, proposal->phases[j]);
      declare(changed.transactions[transaction].phase, proposal->phases[j]);
    }
    internal::change_together(plan_.plan, changed);
    const auto texts = model::phase_texts(plan_.plan, changed);
    if (changes.empty()) return;
    remedies_.push_back({TuneKind::phases,
                         {{fmt::format("{}", fmt::join(texts, ", ")),
                           "nothing but the edit: the same requests, at other instants",
                           [changes](Plan& plan) {
                             for (const auto& [transaction, phase] : changes) {
                               declare(plan.transactions[transaction].phase, phase);
                             }
                           }}},
                         {},
                         {}});
  }

  void add_retries() {
    const std::int64_t present = timing::failure_times(queue_.jobs.front().times).tries - 1;
    Remedy remedy{TuneKind::retries, {}, {}, {}};
    for (std::int64_t retries = std::min<std::int64_t>(present, 5) - 1; retries >= 0; --retries) {
      remedy.sizes.push_back({fmt::format("{}: retries = {}", owner(), retries),
                              retries == 0 ? "one damaged frame loses a cycle of that transaction"
                                           : "fewer chances for a damaged frame",
                              everywhere(std::nullopt, retries), 0});
    }
    remedies_.push_back(std::move(remedy));
  }

  // From the present timeout down to the longest reply.
  [[nodiscard]] std::vector<Duration> timeouts() const {
    const Duration present = timing::failure_times(queue_.jobs.front().times).timeout;
    const Duration least = rounded_up(longest_, timeout_step);
    std::vector<Duration> values;
    for (std::size_t i = 1; i <= timeouts_tried; ++i) {
      const Duration value = rounded_up(present - (present - least) * static_cast<std::int64_t>(i) /
                                                      static_cast<std::int64_t>(timeouts_tried),
                                        timeout_step);
      if (value >= present || value < least) continue;
      if (values.empty() || value < values.back()) values.push_back(value);
    }
    return values;
  }

  // Some slave here states no `reply`.
  [[nodiscard]] bool rests_on_defaults() const {
    return std::any_of(queue_.jobs.begin(), queue_.jobs.end(), [](const Job& job) {
      return job.times.assumed.contains(model::FactKind::reply);
    });
  }

  void add_timeouts() {
    Remedy remedy{TuneKind::timeout, {}, {}, {}};
    remedy.present =
        steps_up(timing::failure_times(queue_.jobs.front().times).timeout, timeout_step);
    remedy.of_amount = [this, alive = shared_from_this()](std::int64_t steps) {
      const Duration timeout = steps * timeout_step;
      return Remedy::Size{
          fmt::format("{}: timeout = \"{}\"", owner(), to_text(timeout)),
          fmt::format("{} to spare over the longest reply, {}", model::in_ms(timeout - longest_),
                      rests_on_defaults() ? "which is assumed: state `reply` first"
                                          : "as its `reply` is stated"),
          everywhere(timeout, std::nullopt), steps, rests_on_defaults()};
    };
    for (const Duration timeout : timeouts()) {
      remedy.sizes.push_back(remedy.of_amount(timeout / timeout_step));
    }
    remedies_.push_back(std::move(remedy));
  }

  void add_park() {
    if (!queue_.line) return;
    Remedy remedy{TuneKind::park, {}, {}, {}};
    const std::size_t line = *queue_.line;
    for (const std::int64_t after : {3, 2, 1}) {
      if (queue_.park && queue_.park->after <= after) continue;
      const Duration retry = queue_.park ? queue_.park->retry : Duration(std::chrono::seconds(10));
      remedy.sizes.push_back({fmt::format("line {}: park = {{ after = {}, retry = \"{}\" }}",
                                          plan_.plan.lines[line].name, after, to_text(retry)),
                              fmt::format("a slave that failed {} time{} is back up to {} late",
                                          after, after == 1 ? "" : "s", to_text(retry)),
                              [line, after, retry](Plan& plan) {
                                declare(plan.lines[line].park, model::Park{after, retry});
                              }});
    }
    remedies_.push_back(std::move(remedy));
  }

  // The transaction of most use first.
  [[nodiscard]] std::vector<const Job*> by_use() const {
    std::vector<const Job*> jobs;
    for (const Job& job : queue_.jobs) {
      if (job.kind == model::TriggerKind::cyclic) jobs.push_back(&job);
    }
    const auto use = [](const Job* job) {
      return static_cast<double>(job->times.longest.count()) /
             static_cast<double>(job->period.count());
    };
    std::stable_sort(jobs.begin(), jobs.end(),
                     [&](const Job* a, const Job* b) { return use(a) > use(b); });
    return jobs;
  }

  // `hundredths` of a period, on the controller's grid.
  [[nodiscard]] Duration longer(Duration period, std::int64_t hundredths) const {
    return rounded_up((hundredths * period) / 100, period_step_);
  }

  void add_periods() {
    const auto jobs = by_use();
    std::set<std::string> rows;
    for (const Job* job : jobs) {
      if (rows.size() == most_single_periods) break;
      if (rows.insert(name_of(*job)).second) add_period(*job);
    }
    if (jobs.size() > 1) add_all_periods(jobs);
  }

  void add_period(const Job& job) {
    Remedy remedy{TuneKind::period, {}, {}, {}};
    const std::size_t transaction = plan_.transactions[job.transaction].declared;
    const Duration present = job.period;
    const std::string name = name_of(job);
    remedy.present = present / period_step_;
    remedy.of_amount = [this, alive = shared_from_this(), transaction, present,
                        name](std::int64_t steps) {
      const Duration period = steps * period_step_;
      return Remedy::Size{
          fmt::format("{} every = \"{}\"", name, to_text(period)),
          fmt::format("its data is {} old instead of {}", to_text(period), to_text(present)),
          [transaction, period](Plan& plan) {
            declare(plan.transactions[transaction].every, model::Every{false, period});
          },
          steps};
    };
    for (const std::int64_t hundredths : factors) {
      remedy.sizes.push_back(remedy.of_amount(longer(present, hundredths) / period_step_));
    }
    remedies_.push_back(std::move(remedy));
  }

  void add_all_periods(const std::vector<const Job*>& jobs) {
    Remedy all{TuneKind::period, {}, {}, {}};
    all.present = 100;
    all.of_amount = [this, alive = shared_from_this(), jobs](std::int64_t hundredths) {
      std::vector<std::pair<std::size_t, Duration>> changes;
      std::vector<std::string> values;
      double oldest = 1;
      for (const Job* job : jobs) {
        const Duration period = longer(job->period, hundredths);
        changes.emplace_back(plan_.transactions[job->transaction].declared, period);
        std::string value = fmt::format("{} every = \"{}\"", name_of(*job), to_text(period));
        if (std::find(values.begin(), values.end(), value) == values.end()) {
          values.push_back(std::move(value));
        }
        oldest = std::max(
            oldest, static_cast<double>(period.count()) / static_cast<double>(job->period.count()));
      }
      std::string text =
          fmt::format("every period of {} x {}: ", queue_.name, factor_text(hundredths));
      if (values.size() > most_values_named) {
        const std::size_t more = values.size() - most_values_named;
        values.resize(most_values_named);
        text += fmt::format("{} and {} more, rounded up to {}", fmt::join(values, ", "), more,
                            to_text(period_step_));
      } else {
        text += fmt::format("{}", fmt::join(values, ", "));
      }
      return Remedy::Size{
          std::move(text), fmt::format("its data is up to {:.3g} times as old", oldest),
          [changes](Plan& plan) {
            for (const auto& [transaction, period] : changes) {
              declare(plan.transactions[transaction].every, model::Every{false, period});
            }
          },
          hundredths};
    };
    for (const std::int64_t hundredths : factors) all.sizes.push_back(all.of_amount(hundredths));
    remedies_.push_back(std::move(all));
  }

  [[nodiscard]] std::size_t slaves_on_line() const {
    return static_cast<std::size_t>(
        std::count(plan_.slave_line.begin(), plan_.slave_line.end(), queue_.line));
  }

  void add_bauds() {
    const std::size_t line = *queue_.line;
    const auto& baud = plan_.plan.lines[line].settings.baud;
    if (!baud) return;
    Remedy remedy{TuneKind::baud, {}, {}, {}};
    for (const std::int64_t rate : rates) {
      if (rate <= baud->value || rate > 115200) continue;
      remedy.sizes.push_back(
          {fmt::format("line {}: baud = {}", plan_.plan.lines[line].name, rate),
           fmt::format("{} slave{} to be set to it, if they all can; shorter cable",
                       slaves_on_line(), slaves_on_line() == 1 ? "" : "s"),
           [line, rate](Plan& plan) {
             declare(plan.lines[line].settings.baud, rate);
             for (model::Slave& slave : plan.slaves) {
               const bool here = slave.line && slave.line->value == plan.lines[line].name;
               if (here && slave.settings.baud) declare(slave.settings.baud, rate);
             }
           }});
    }
    remedies_.push_back(std::move(remedy));
  }

  // The slaves of most use move to a second line with the same settings.
  void add_splits() {
    if (queue_.kind != timing::QueueKind::serial || slaves_.size() < 2) return;
    // who moves would no longer hear what is sent to all
    const bool sends_to_all = std::any_of(queue_.jobs.begin(), queue_.jobs.end(),
                                          [](const Job& job) { return job.times.broadcast; });
    if (sends_to_all) return;
    std::vector<std::pair<double, std::size_t>> by_slave;
    for (std::size_t slave : slaves_) {
      double use = 0;
      for (const Job& job : queue_.jobs) {
        const auto& t = plan_.transactions[job.transaction];
        if (t.target->is_peer || t.target->index != slave || !recurs(job)) continue;
        use += static_cast<double>(job.times.longest.count()) /
               static_cast<double>(job.period.count());
      }
      by_slave.emplace_back(use, slave);
    }
    std::sort(by_slave.rbegin(), by_slave.rend());
    Remedy remedy{TuneKind::split, {}, {}, {}};
    const std::size_t line = *queue_.line;
    const std::string name = plan_.plan.lines[line].name + "-2";
    std::vector<std::size_t> moved;
    std::vector<std::string> names;
    for (std::size_t i = 0; 2 * i < by_slave.size(); ++i) {
      moved.push_back(by_slave[i].second);
      const std::string own = model::written_name(
          plan_.plan.written_as, subject_of(plan_.plan.slaves[by_slave[i].second]));
      if (std::find(names.begin(), names.end(), own) == names.end()) names.push_back(own);
      remedy.sizes.push_back({fmt::format("a second line like {} for {}",
                                          plan_.plan.lines[line].name, fmt::join(names, ", ")),
                              "a port of the controller, an adapter and a cable",
                              [line, moved, name](Plan& plan) {
                                model::Line second = plan.lines[line];
                                second.name = name;
                                second.port.reset();
                                plan.lines.push_back(std::move(second));
                                for (std::size_t slave : moved)
                                  declare(plan.slaves[slave].line, name);
                              }});
    }
    remedies_.push_back(std::move(remedy));
  }

  const ResolvedPlan& plan_;
  const timing::TimingModel& model_;
  std::size_t index_;
  const Queue& queue_;
  Duration period_step_;
  std::set<std::size_t> slaves_;
  Duration longest_{};
  std::vector<Remedy> remedies_;
};

}  // namespace

std::vector<Remedy> remedies_for(const ResolvedPlan& plan, const timing::TimingReport& report,
                                 std::size_t queue) {
  return std::make_shared<RemedyFinder>(plan, report, queue)->find();
}

}  // namespace greymet::packing::internal
