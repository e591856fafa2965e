#include "checks/check.h"

#include <algorithm>
#include <atomic>
#include <exception>
#include <iterator>
#include <limits>
#include <map>
#include <set>
#include <thread>
#include <tuple>

#include <fmt/format.h>

#include "checks/catalogue.h"
#include "checks/rules.h"
#include "common/words.h"
#include "model/resolved_plan.h"
#include "model/text_slips.h"
#include "timing/report.h"
#include "timing/simulation.h"

namespace greymet::checks {

namespace {

// One cause, one finding.
// A finding is silent where one of its causes (RuleEntry::silenced_by) speaks of the same registers
// of the same thing. The cause keeps it, and is as grave as what it explains. Whether it goes with
// the cause is tried where cures are (files/cures.h).
class Consequences {
 public:
  explicit Consequences(Findings& findings) : findings_(findings) {
    for (std::size_t i = 0; i < findings.size(); ++i) {
      const Finding& f = findings[i];
      if (f.rule == RuleCode::P02) misspelt_.emplace(f.subject, f.about);
      if (!is_cause(f.rule)) continue;
      causes_[{f.subject, f.rule}].push_back({i, f.part});
      for (const model::Concern& each : f.concerns) {
        causes_[{each.subject, f.rule}].push_back({i, each.part});
      }
    }
  }

  void silence() {
    std::vector<std::size_t> cause(findings_.size());
    for (std::size_t i = 0; i < findings_.size(); ++i) cause[i] = cause_of(i);
    for (std::size_t i = 0; i < findings_.size(); ++i) cause[i] = first_of(cause, i);
    for (std::size_t i = 0; i < findings_.size(); ++i) {
      if (cause[i] == i || cause[i] == unsaid) continue;
      Finding& explaining = findings_[cause[i]];
      explaining.severity = std::max(explaining.severity, findings_[i].severity);
      explaining.explains.push_back(std::move(findings_[i]));
    }
    std::size_t told = 0;
    for (std::size_t i = 0; i < findings_.size(); ++i) {
      if (cause[i] != i) continue;
      if (told != i) findings_[told] = std::move(findings_[i]);
      ++told;
    }
    findings_.resize(told);
  }

 private:
  static constexpr std::size_t unsaid = std::numeric_limits<std::size_t>::max();
  struct Cause {
    std::size_t finding = 0;
    std::optional<model::Part> part;
  };

  static bool is_cause(RuleCode code) {
    static const std::set<RuleCode> all = [] {
      std::set<RuleCode> codes;
      for (const RuleEntry& rule : catalogue()) {
        codes.insert(rule.silenced_by.begin(), rule.silenced_by.end());
      }
      return codes;
    }();
    return all.contains(code);
  }

  // The cause of its cause; rules do not go in circles, and if they did it would say so itself.
  static std::size_t first_of(const std::vector<std::size_t>& cause, std::size_t i) {
    std::size_t first = i;
    for (int steps = 0; first != unsaid && cause[first] != first; ++steps) {
      if (steps > 16) return i;
      first = cause[first];
    }
    return first;
  }

  // The finding that explains this one; itself where none does.
  [[nodiscard]] std::size_t cause_of(std::size_t i) const {
    const Finding& f = findings_[i];
    // the key was written, only otherwise
    if (f.rule == RuleCode::P06) return misspelt_.contains({f.subject, f.about}) ? unsaid : i;
    const RuleCodes& silencers = entry_of(f.rule).silenced_by;
    if (silencers.count == 0) return i;
    const auto found = first_cause(silencers, f.subject, f.part);
    if (found) return *found;
    for (const model::Concern& each : f.concerns) {
      const auto of_step = first_cause(silencers, each.subject, each.part);
      if (of_step) return *of_step;
    }
    return i;
  }

  [[nodiscard]] std::optional<std::size_t> first_cause(
      const RuleCodes& silencers, const model::Subject& subject,
      const std::optional<model::Part>& part) const {
    for (const RuleCode code : silencers) {
      const auto own = causes_.find({subject, code});
      if (own == causes_.end()) continue;
      for (const Cause& cause : own->second) {
        if (!part || !cause.part || model::overlap(*part, *cause.part)) return cause.finding;
      }
    }
    return std::nullopt;
  }

  Findings& findings_;
  std::map<std::pair<model::Subject, RuleCode>, std::vector<Cause>> causes_;
  std::set<std::pair<model::Subject, std::string>> misspelt_;  // and the key that was meant
};

// Leaves out what the plan accepts, and reports acceptances without an object.
void apply_accepts(const model::Plan& plan, const RuleSelection& selection, Findings& findings) {
  Findings unused;
  std::set<model::Range> useful;
  for (std::size_t i = 0; i < plan.accepts.size(); ++i) {
    const model::Accept& accept = plan.accepts[i];
    if (!accept.rule || !accept.at) continue;
    const auto code = model::rule_code_from(accept.rule->value);
    if (!code) continue;  // P05 has said so
    const auto removed = std::erase_if(findings, [&](const Finding& f) {
      return f.rule == *code && to_text(f.subject) == accept.at->value;
    });
    // of a row that stands for several slaves it is enough that it holds for one
    if (removed > 0) useful.insert(accept.place);
    if (removed > 0 || !selection.includes(*code)) continue;
    unused.push_back(
        {.rule = RuleCode::P09,
         .severity = Severity::warning,
         .place = accept.place,
         .subject = {model::SubjectKind::accept, std::to_string(i + 1)},
         .message = fmt::format(
             "this accept silences nothing: {} does not speak about "
             "'{}'",
             accept.rule->value,
             (accept.written_at.empty() ? accept.at->value : accept.written_at).substr(0, 60)),
         .remedy = "remove it, or correct its `rule` or `at`"});
    add_fix(unused.back(),
            {"remove the accept", {{accept.place, {}, model::EditKind::drop_row, {}}}, false});
  }
  std::set<model::Range> told;
  for (Finding& f : unused) {
    if (useful.count(f.place) == 0 && told.insert(f.place).second) findings.push_back(std::move(f));
  }
}

}  // namespace

bool RuleSelection::includes(RuleCode code) const {
  const std::string_view name = to_string(code);
  if (picked.empty() && entry_of(code).needs == Needs::assumptions) return assumptions;
  return picked.empty() || std::any_of(picked.begin(), picked.end(), [name](const std::string& p) {
           return name == p || (p.size() == 1 && p.front() == name.front());
         });
}

tl::expected<RuleSelection, std::string> parse_rule_selection(std::string_view text) {
  RuleSelection selection;
  std::size_t from = 0;
  while (from <= text.size()) {
    const std::size_t comma = std::min(text.find(',', from), text.size());
    std::string item(model::trimmed(text.substr(from, comma - from)));
    if (!item.empty() && item[0] >= 'a' && item[0] <= 'z') {
      item[0] = static_cast<char>(item[0] - 'a' + 'A');
    }
    const auto all = families();
    const bool family =
        item.size() == 1 && std::any_of(all.begin(), all.end(),
                                        [item](const auto& f) { return f.letter == item.front(); });
    if (!family && !model::rule_code_from(item)) {
      return tl::unexpected(
          fmt::format("'{}' is neither a family nor a rule; write e.g. --rules F,M02",
                      model::trimmed(text.substr(from, comma - from)).substr(0, 40)));
    }
    selection.picked.emplace_back(item);
    from = comma + 1;
  }
  return selection;
}

namespace {

// The same words about the same place, as where every row of a table stands under one heading, or a
// map is read for two ways of counting: one finding.
void join_equals(Findings& found) {
  Findings kept;
  std::size_t more = 0;
  const auto finish = [&] {
    if (more > 0) kept.back().message += fmt::format(" (and {} more times)", more);
    more = 0;
  };
  for (Finding& f : found) {
    const bool same = !kept.empty() && f.place.line > 0 && kept.back().rule == f.rule &&
                      kept.back().place == f.place && kept.back().message == f.message;
    if (same) {
      if (kept.back().subject != f.subject) ++more;
      continue;
    }
    finish();
    kept.push_back(std::move(f));
  }
  finish();
  found = std::move(kept);
}

// What the same row of the plan says of several slaves that are alike: of the first of them, with
// the names of the others. Texts that differ in more than numbers are findings of their own.
void join_alike(const model::WrittenAs& written_as, Findings& found) {
  if (written_as.empty()) return;
  struct First {
    std::size_t at = 0;
    std::vector<std::string> others;
  };
  std::map<std::tuple<RuleCode, model::Range, model::Subject, std::string>, First> firsts;
  Findings kept;
  for (Finding& f : found) {
    const auto written = written_as.find(f.subject);
    if (written != written_as.end() && f.place.line > 0) {
      const auto [at, is_first] =
          firsts.try_emplace({f.rule, f.place, written->second, model::without_numbers(f.message)},
                             First{kept.size(), {}});
      const bool same_slave = !is_first && kept[at->second.at].subject == f.subject;
      if (!is_first && !same_slave) {
        auto& others = at->second.others;
        if (others.empty() || others.back() != f.subject.name) others.push_back(f.subject.name);
        continue;
      }
    }
    kept.push_back(std::move(f));
  }
  for (const auto& [key, first] : firsts) {
    if (first.others.empty()) continue;
    kept[first.at].message += fmt::format("; the same of {}", model::list_of_names(first.others));
  }
  found = std::move(kept);
}

// Those with one cause: the first says it, with the places of the others.
void join_groups(Findings& found) {
  std::map<std::tuple<RuleCode, Severity, std::string>, std::size_t> firsts;
  std::size_t told = 0;
  for (std::size_t i = 0; i < found.size(); ++i) {
    Finding& f = found[i];
    if (!f.about.empty() && f.rule != RuleCode::P02 && f.rule != RuleCode::P06) {
      const auto [at, is_first] = firsts.try_emplace({f.rule, f.severity, f.about}, told);
      if (!is_first) {
        Findings& explained = found[at->second].explains;
        std::move(f.explains.begin(), f.explains.end(), std::back_inserter(explained));
        f.explains.clear();
        explained.push_back(std::move(f));
        continue;
      }
    }
    if (told != i) found[told] = std::move(f);
    ++told;
  }
  found.resize(told);
}

// As grave as the gravest that is left out: no plan becomes clean by having many mistakes.
void cut(Findings& found) {
  if (found.size() <= most_findings) return;
  const auto first = found.begin() + static_cast<std::ptrdiff_t>(most_findings);
  const auto gravest = std::max_element(first, found.end(), [](const Finding& a, const Finding& b) {
    return a.severity < b.severity;
  });
  Finding rest{.rule = RuleCode::P05,
               .severity = gravest->severity,
               .place = first->place,
               .subject = {},
               .message = fmt::format("{} further findings are not listed",
                                      std::distance(first, found.end())),
               .remedy = "correct the first ones and check again"};
  found.erase(first, found.end());
  found.push_back(std::move(rest));
}

// All of them, each with its findings behind those of the one before it. None depends on another's,
// so that of a large plan two go at a time.
void run_rules(const std::vector<RuleFunction>& list, const RuleInput& in, Findings& found) {
  // of very many each rule's list beside the others' would be too much memory
  constexpr std::size_t large = 2000;  // transactions
  constexpr std::size_t very_many = 30'000;
  const std::size_t count = in.plan.transactions.size();
  if (count < large || count > very_many || found.size() > very_many) {
    for (const RuleFunction function : list) {
      if (!in.stop.stop_requested()) function(in, found);
    }
    return;
  }
  std::vector<Findings> parts(list.size());
  std::atomic<std::size_t> next{0};
  std::exception_ptr failure;
  const auto work = [&] {
    for (std::size_t i = next++; i < list.size() && !in.stop.stop_requested(); i = next++) {
      list[i](in, parts[i]);
    }
  };
  {
    const std::jthread other([&] {
      try {
        work();
      } catch (...) {  // memory ran out: said where the other one is waited for
        failure = std::current_exception();
      }
    });
    work();
  }
  if (failure) std::rethrow_exception(failure);
  for (Findings& part : parts) {
    std::move(part.begin(), part.end(), std::back_inserter(found));
    part = {};
  }
}

// What rules of timing say of a plan that differs in its exchange alone.
Findings timed_findings(const RuleInput& in, const model::ResolvedPlan& plan, Findings of_plan) {
  timing::SimulationOptions options;
  options.stop = in.stop;
  options.horizon = std::chrono::seconds(60);
  options.most_transactions = 100'000;
  const timing::TimingReport timing = timing::analyse_longest(plan, options);
  RuleInput own{plan, in.range_is_wrong, in.better_maps, &timing, in.stop, {}, false};
  std::set<RuleFunction> done;
  for (const RuleEntry& rule : catalogue()) {
    // phases are a proposal, no verdict
    if (rule.needs != Needs::timing || rule.function == check_phases) continue;
    if (done.insert(rule.function).second) rule.function(own, of_plan);
  }
  for (const model::Accept& accept : plan.plan.accepts) {
    if (!accept.rule || !accept.at) continue;
    std::erase_if(of_plan, [&](const Finding& f) {
      return to_string(f.rule) == accept.rule->value && to_text(f.subject) == accept.at->value;
    });
  }
  Consequences(of_plan).silence();
  std::erase_if(of_plan, [](const Finding& f) { return entry_of(f.rule).needs != Needs::timing; });
  return of_plan;
}

}  // namespace

void sort_by_place(Findings& found) {
  std::stable_sort(found.begin(), found.end(), [](const Finding& a, const Finding& b) {
    const auto key = [](const Finding& f) {
      // what the others rest on comes last, in its own order
      if (entry_of(f.rule).needs == Needs::assumptions) {
        return std::tuple(true, std::numeric_limits<std::uint32_t>::max(), 0U, 0U, RuleCode::A01);
      }
      return std::tuple(f.place.file == 0, f.place.file, f.place.line, f.place.column, f.rule);
    };
    return key(a) < key(b);
  });
}

Findings check(const model::ResolvedPlan& resolved, Findings found, const RuleSelection& selection,
               const std::stop_token& stop, std::shared_ptr<const timing::TimingReport>* told) {
  // of very many, doubling again would take more memory than they do
  constexpr std::size_t very_many = 50'000;
  if (found.size() > very_many) found.reserve(found.size() + found.size() / 2);
  // Causes of other families silence what was picked: all that looks at the plan alone runs.
  std::vector<RuleFunction> functions;
  std::vector<RuleFunction> timed;
  std::vector<RuleFunction> assumed;
  for (const RuleEntry& rule : catalogue()) {
    const bool needs_plan = rule.needs == Needs::plan;
    if (rule.function == nullptr || (!needs_plan && !selection.includes(rule.code))) continue;
    auto& list = needs_plan ? functions : rule.needs == Needs::timing ? timed : assumed;
    if (std::find(list.begin(), list.end(), rule.function) == list.end()) {
      list.push_back(rule.function);
    }
  }
  RuleInput in{resolved, wrong_ranges(resolved), {}, nullptr, stop, {}, false};
  in.better_maps = better_maps(resolved, in.range_is_wrong);
  const auto run = [&](const std::vector<RuleFunction>& list) { run_rules(list, in, found); };
  run(functions);
  const auto of_plan = static_cast<std::ptrdiff_t>(found.size());
  std::shared_ptr<const timing::TimingReport> timed_with;
  if (!timed.empty() && !stop.stop_requested()) {
    timing::SimulationOptions options;
    options.stop = stop;
    const auto report = std::make_shared<timing::TimingReport>();
    timing::TimingReport& timing = *report;
    timing = timing::analyse_longest(resolved, options);
    // what is surely within its budget needs no simulation
    const auto in_doubt = [](const timing::PathReport& p) {
      return p.verdict == timing::PathVerdict::not_guaranteed ||
             p.verdict == timing::PathVerdict::not_bounded;
    };
    const bool doubtful =
        std::any_of(timing.paths.begin(), timing.paths.end(), in_doubt) ||
        std::any_of(timing.tag_ages.begin(), timing.tag_ages.end(),
                    [&](const timing::TagAge& age) { return in_doubt(age.path); });
    if (doubtful && !stop.stop_requested()) {
      timing::simulate_paths(resolved, timing::AnalysisOptions{}.watched_transactions, timing);
    }
    timed_with = report;
    in.timing_report = timed_with.get();
    run(timed);
    if (told != nullptr) *told = timed_with;
  }
  if (!assumed.empty()) {
    in.patient = !selection.picked.empty();
    in.judge = [&](const model::ResolvedPlan& plan) {
      return timed_findings(in, plan, {found.begin(), found.begin() + of_plan});
    };
    run(assumed);
  }
  // first what is accepted goes: it explains nothing
  apply_accepts(resolved.plan, selection, found);
  Consequences(found).silence();
  std::erase_if(found, [&](const Finding& f) { return !selection.includes(f.rule); });
  sort_by_place(found);
  join_alike(resolved.plan.written_as, found);
  join_equals(found);
  join_groups(found);
  cut(found);
  return found;
}

Tally tally_of(const Findings& findings) {
  Tally tally;
  for (const Finding& f : findings) {
    switch (f.severity) {
      case Severity::error: ++tally.errors; break;
      case Severity::warning: ++tally.warnings; break;
      case Severity::note: ++tally.notes; break;
    }
  }
  return tally;
}

}  // namespace greymet::checks
