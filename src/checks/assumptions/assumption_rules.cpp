// Family A: what a verdict rests on that nobody stated, found by trying other values.
#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <optional>
#include <set>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "model/utf8_text.h"

namespace greymet::checks {

using model::Basis;
using model::Delay;
using model::Fact;
using model::FactId;
using model::FactKind;
using model::FactOwner;
using model::FactValue;
using model::Overrides;
using model::Subject;
using model::SubjectKind;

namespace {

// A warning or an error about something.
struct Verdict {
  RuleCode rule = RuleCode::P01;
  Severity severity = Severity::warning;
  Subject subject;
  friend auto operator<=>(const Verdict&, const Verdict&) = default;
};
using Verdicts = std::set<Verdict>;

// Facts of one kind that the same default stands for, and that are tried together.
struct Group {
  FactKind kind = FactKind::reply;
  Subject subject;
  FactValue value;
  std::vector<FactId> ids;
  model::Range place;
};

// Where the verdicts turn.
struct Turn {
  FactValue last_alike;  // the value nearest to it that was tried with the same verdicts
  bool above = true;     // else below, or another word
  bool is_word = false;
  Verdict verdict;  // the gravest that comes or goes
  bool comes = true;
  std::size_t others = 0;
  double factor = 1;  // how far from the assumed value
};

constexpr double hundredth = 0.01;

RuleCode code_of(FactKind kind) {
  switch (kind) {
    case FactKind::reply: return RuleCode::A01;
    case FactKind::rtt:
    case FactKind::gateway_delay:
    case FactKind::retransmission: return RuleCode::A02;
    default: return model::traits_of(kind).optimistic ? RuleCode::A03 : RuleCode::A04;
  }
}

// One number for a value, so that it can be searched: milliseconds, or the number itself.
double size_of(const FactValue& value) {
  if (const auto* duration = std::get_if<Duration>(&value)) return model::to_ms(*duration);
  if (const auto* delay = std::get_if<Delay>(&value)) return model::to_ms(delay->max);
  if (const auto* number = std::get_if<double>(&value)) return *number;
  return static_cast<double>(std::get<std::int64_t>(value));
}

constexpr double ns_per_ms = 1e6;

FactValue with_size(const FactValue& like, double size) {
  const Duration duration(static_cast<std::int64_t>(std::llround(size * ns_per_ms)));
  if (std::holds_alternative<Duration>(like)) return duration;
  if (const auto* delay = std::get_if<Delay>(&like)) {
    return Delay{std::min(delay->typical, duration), duration, std::min(delay->min, duration)};
  }
  if (std::holds_alternative<double>(like)) return size;
  return static_cast<std::int64_t>(std::llround(size));
}

bool is_word(FactKind kind) {
  return kind == FactKind::timeout_to || kind == FactKind::order || kind == FactKind::framing ||
         kind == FactKind::on_silence || kind == FactKind::connect || kind == FactKind::sends;
}

// Between these values are tried, in milliseconds or as they are: what is found in plants. Beyond
// them a verdict may turn as well; nobody need be told.
struct Tried {
  double least = 0;
  double most = 0;
};
Tried tried_values(FactKind kind) {
  switch (kind) {
    case FactKind::reply: return {1, 500};
    case FactKind::rtt: return {0.2, 200};
    case FactKind::gateway_delay:
    case FactKind::turnaround: return {0, 200};
    case FactKind::jitter:
    case FactKind::latency:  // of adapters over USB
    case FactKind::slave_pause:
    case FactKind::line_pause: return {0, 20};
    case FactKind::scans: return {0, 50};
    case FactKind::character_gap: return {0, 1.5};  // the standard's limit (V1.02 2.5.1.1)
    case FactKind::timeout:
    case FactKind::connect_timeout: return {50, 5000};
    case FactKind::retries: return {0, 3};
    default: return {};
  }
}

class Search {
 public:
  Search(const RuleInput& in, Findings& out) : in_(in), plan_(in.plan), out_(out) {}

  void run() {
    collect_used();
    collect_groups();
    // each try costs about as much as the rest of the check
    constexpr std::size_t most_work = 40'000;
    tries_left_ =
        in_.patient ? std::numeric_limits<std::size_t>::max()
                    : most_work / (plan_.plan.transactions.size() + plan_.plan.slaves.size() + 20);

    if (tries_left_ >= most_tries_of_one) base_ = verdicts_of(plan_);
    std::vector<std::pair<const Group*, std::vector<Turn>>> found;
    std::size_t not_tried = 0;
    for (const Group& group : groups_) {
      if (tries_left_ < most_tries_of_one || in_.stop.stop_requested()) {
        ++not_tried;
        continue;
      }
      std::vector<Turn> turns = turns_of(group);
      if (!turns.empty()) found.emplace_back(&group, std::move(turns));
    }
    std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) {
      const auto key = [](const auto& each) {
        const Turn& first = each.second.front();
        return std::pair(-static_cast<int>(first.verdict.severity), first.factor);
      };
      return key(a) < key(b);
    });
    for (const auto& [group, turns] : found) tell(*group, turns);
    if (not_tried > 0) tell_not_tried(not_tried);
  }

 private:
  static constexpr std::size_t most_tries_of_one = 30;

  void collect_used() {
    for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
      const model::Endpoint& to = t.endpoint;
      if (t.target.is_peer) {
        used_.insert({FactOwner::answer, t.target.index});
      } else {
        used_.insert({FactOwner::slave, t.target.index});
      }
      if (to.line) used_.insert({FactOwner::line, std::size_t{*to.line}});
      if (to.gateway) used_.insert({FactOwner::gateway, std::size_t{*to.gateway}});
      used_.insert({FactOwner::controller, std::size_t{t.controller}});
    }
  }

  // Slaves of a line go together, and those on TCP.
  [[nodiscard]] Subject subject_for(const Fact& fact) const {
    if (fact.id.owner != FactOwner::slave) return owner_subject(plan_.plan, fact.id);
    if (const auto line = plan_.slave_line[fact.id.index])
      return subject_of(plan_.plan.lines[*line]);
    return {SubjectKind::exchange, {}};
  }

  void collect_groups() {
    std::map<std::tuple<FactKind, Subject, std::string>, std::size_t> known;
    for (const Fact& fact : plan_.exchange.ledger.facts()) {
      if (fact.basis != Basis::assumed) continue;
      if (!used_.contains({fact.id.owner, fact.id.index})) continue;
      if (!is_word(fact.id.kind) && tried_values(fact.id.kind).most <= 0) continue;
      const Subject subject = subject_for(fact);
      const auto [at, is_new] = known.try_emplace(
          {fact.id.kind, subject, fact_text(fact.id.kind, fact.value)}, groups_.size());
      if (is_new) groups_.push_back({fact.id.kind, subject, fact.value, {}, fact.place});
      groups_[at->second].ids.push_back(fact.id);
    }
  }

  [[nodiscard]] Verdicts verdicts_of(const model::ResolvedPlan& plan) const {
    Verdicts verdicts;
    for (const Finding& f : in_.judge(plan)) {
      if (f.severity != Severity::note) verdicts.insert({f.rule, f.severity, f.subject});
    }
    return verdicts;
  }

  Verdicts with(const Group& group, const FactValue& value) {
    Overrides instead;
    for (const FactId& id : group.ids) instead[id] = value;
    if (tries_left_ > 0) --tries_left_;
    if (!trial_) trial_ = plan_.copy_for_trials();
    trial_->exchange = with_facts(plan_, instead);
    return verdicts_of(*trial_);
  }

  std::vector<Turn> turns_of(const Group& group) {
    std::vector<Turn> turns;
    if (is_word(group.kind)) {
      const FactValue other = 1 - std::get<std::int64_t>(group.value);
      const Verdicts seen = with(group, other);
      if (seen != base_) {
        Turn turn = turn_between(seen);
        turn.last_alike = other;
        turn.is_word = true;
        turns.push_back(turn);
      }
      return turns;
    }
    const Tried range = tried_values(group.kind);
    if (auto turn = search(group, range.most)) turns.push_back(*turn);
    if (auto turn = search(group, range.least)) turns.push_back(*turn);
    std::stable_sort(turns.begin(), turns.end(), [](const Turn& a, const Turn& b) {
      return a.verdict.severity > b.verdict.severity;
    });
    return turns;
  }

  // Looks towards `end` for the first value with other verdicts.
  std::optional<Turn> search(const Group& group, double end) {
    const double from = size_of(group.value);
    if (from == end) return std::nullopt;
    const bool whole = std::holds_alternative<std::int64_t>(group.value);
    double alike = from;
    std::optional<double> unlike;
    Verdicts seen;
    for (const double share : {0.05, 0.2, 1.0}) {
      double value = from + (end - from) * share;
      if (whole) value = std::round(value);
      if (value == alike) continue;
      Verdicts now = with(group, with_size(group.value, value));
      if (now != base_) {
        unlike = value;
        seen = std::move(now);
        break;
      }
      alike = value;
    }
    if (!unlike) return std::nullopt;
    const auto far_apart = [&] {
      const double gap = std::abs(*unlike - alike);
      return whole ? gap > 1
                   : gap > hundredth * std::max(std::abs(*unlike), std::abs(alike)) && gap > 0.05;
    };
    while (far_apart()) {
      double middle = (alike + *unlike) / 2;
      if (whole) middle = std::floor(middle);
      Verdicts now = with(group, with_size(group.value, middle));
      if (now == base_) {
        alike = middle;
      } else {
        unlike = middle;
        seen = std::move(now);
      }
    }
    Turn turn = turn_between(seen);
    turn.above = end > from;
    turn.last_alike = with_size(group.value, shortened(alike, turn.above, whole));
    turn.factor = from > 0 && *unlike > 0 ? std::max(*unlike / from, from / *unlike) : 1 + *unlike;
    return turn;
  }

  // Three digits, and no nearer to the turn.
  static double shortened(double value, bool above, bool whole) {
    if (whole || value <= 0) return value;
    const double unit = std::pow(10.0, std::floor(std::log10(value)) - 2);
    return (above ? std::floor(value / unit) : std::ceil(value / unit)) * unit;
  }

  [[nodiscard]] Turn turn_between(const Verdicts& seen) const {
    Turn turn;
    std::optional<std::pair<Verdict, bool>> gravest;
    std::size_t all = 0;
    const auto look = [&](const Verdicts& these, const Verdicts& those, bool comes) {
      for (const Verdict& v : these) {
        if (those.contains(v)) continue;
        ++all;
        if (!gravest || v.severity > gravest->first.severity) gravest = {v, comes};
      }
    };
    look(seen, base_, true);
    look(base_, seen, false);
    turn.verdict = gravest->first;
    turn.comes = gravest->second;
    turn.others = all - 1;
    return turn;
  }

  [[nodiscard]] std::string who(const Group& group) const {
    if (group.ids.front().owner != FactOwner::slave) return {};
    constexpr std::size_t most_named = 3;
    std::vector<std::string> names;
    for (const FactId& id : group.ids) {
      if (names.size() < most_named) names.push_back(plan_.plan.slaves[id.index].name);
    }
    const std::string more = group.ids.size() > most_named
                                 ? fmt::format(" and {} more", group.ids.size() - most_named)
                                 : std::string();
    return fmt::format(" of {}{}", fmt::join(names, ", "), more);
  }

  // "137 ms", "1.2", "2"
  static std::string limit_text(const FactValue& value) {
    const std::string digits = model::shortest_digits(size_of(value));
    const bool time =
        std::holds_alternative<Duration>(value) || std::holds_alternative<Delay>(value);
    return time ? digits + " ms" : digits;
  }

  static std::string text_of(const Group& group, const Turn& turn) {
    const std::string when =
        turn.is_word
            ? fmt::format("with \"{}\"", fact_text(group.kind, turn.last_alike))
            : fmt::format("{} {}", turn.above ? "above" : "below", limit_text(turn.last_alike));
    const std::string more =
        turn.others > 0 ? fmt::format(", and {} more", turn.others) : std::string();
    return fmt::format("{} {} {} {} of {}{}", when, turn.comes ? "there is" : "there is no more",
                       to_string(turn.verdict.severity), to_string(turn.verdict.rule),
                       turn.verdict.subject, more);
  }

  static std::string assumed_text(const Group& group) {
    if (is_word(group.kind)) return fmt::format("\"{}\"", fact_text(group.kind, group.value));
    return size_of(group.value) > 0 ? fact_text(group.kind, group.value) : "none";
  }

  void tell(const Group& group, const std::vector<Turn>& turns) {
    const model::FactTraits& traits = model::traits_of(group.kind);
    std::string when;
    for (const Turn& turn : turns) when += (when.empty() ? "" : "; ") + text_of(group, turn);
    report(
        out_, code_of(group.kind), Severity::note, group.place, group.subject,
        fmt::format("assumed: {}{} is {}; {}", traits.words, who(group), assumed_text(group), when),
        fmt::format("{}; then write {}", traits.settle, traits.example));
  }

  void tell_not_tried(std::size_t count) {
    report(
        out_, RuleCode::A01, Severity::note,
        plan_.plan.lines.empty() ? model::Range{} : plan_.plan.lines.front().place,
        {SubjectKind::plan, {}},
        fmt::format("{} that verdicts may rest on {} not tried with other values: the plan is too "
                    "large for that",
                    model::counted(count, "assumption"), count == 1 ? "was" : "were"),
        "`greymet check PLAN --rules A` tries them all, and may take minutes");
  }

  const RuleInput& in_;
  const model::ResolvedPlan& plan_;
  Findings& out_;
  std::set<std::pair<FactOwner, std::size_t>> used_;
  std::vector<Group> groups_;
  std::optional<model::ResolvedPlan> trial_;  // made where there is something to try
  Verdicts base_;
  std::size_t tries_left_ = 0;
};

}  // namespace

void check_assumptions(const RuleInput& in, Findings& out) {
  if (in.judge) Search(in, out).run();
}

}  // namespace greymet::checks
