// Every proposal of tune, carried out in the text of the plan as a person would do it: the plan
// then is what the proposal promised, and nothing smaller of its kind would have been enough.
#include <regex>

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <fmt/format.h>

#include "model/duration_text.h"
#include "packing/tune.h"
#include "plans.h"
#include "timing/report.h"
#include "timing/simulation.h"

using namespace greymet;
using namespace greymet::packing;
using model::Duration;
using std::chrono::milliseconds;

namespace {

struct Row {
  std::string name, slave, every, phase;
  int count = 1;
  bool triggered = false;
};

// The plan as data that a person would change.
struct Site {
  std::vector<Row> rows;
  int baud = 19200;
  std::string of_line;                       // further keys of line north
  std::map<std::string, std::string> moved;  // slaves on the second line

  [[nodiscard]] std::string text() const {
    std::string plan = test::base_plan();
    plan = test::replaced(plan, "baud = 19200\n", fmt::format("baud = {}\n{}", baud, of_line));
    if (!moved.empty()) {
      std::string line = plan.substr(plan.find("[line.north]"));
      line = test::replaced(line.substr(0, line.find("[slave.")), "north", "north-2");
      for (const auto& [slave, name] : moved) {
        const std::size_t at = plan.find("line = \"north\"", plan.find("[slave." + slave + "]"));
        plan.replace(at, 14, "line = \"" + name + "\"");
      }
      plan += line;
    }
    plan += "[exchange]\ntransactions = [\n";
    for (const Row& r : rows) {
      plan += fmt::format(
          "  {{ name = \"{}\", slave = \"{}\", fc = 3, at = 0, count = {}, into = \"%MW\", "
          "on_loss = \"hold\", {}{} }},\n",
          r.name, r.slave, r.count,
          r.triggered ? "on = \"%MX1\", min_gap = \"" + r.every + "\""
                      : "every = \"" + r.every + "\"",
          r.phase.empty() ? "" : ", phase = \"" + r.phase + "\"");
    }
    return plan + "]\n";
  }
};

struct State {
  double use = 0;
  bool overloaded = false;  // by what comes whatever happens
  std::uint64_t missed = 0;
  std::size_t late = 0;
  [[nodiscard]] bool reaches(TuneGoal goal) const {
    const bool fits = missed == 0 && !overloaded;
    return goal == TuneGoal::guarantee ? fits && late == 0 : fits;
  }
};

State state_of(const Site& site) {
  const auto loaded = test::load(site.text(), test::base_files());
  const auto report = timing::analyse_longest(loaded.plan, {});
  State state;
  for (const timing::LineReport& line : report.lines) {
    if (line.transactions.empty()) continue;
    state.use = std::max(state.use, line.utilisation_percent);
    state.overloaded = state.overloaded || line.cyclic_percent > 100;
    for (const timing::TransactionReport& t : line.transactions) {
      state.missed += t.missed;
      const bool cyclic = t.kind == model::TriggerKind::cyclic;
      if (cyclic && (!t.response_bound || *t.response_bound > *t.period)) ++state.late;
    }
  }
  return state;
}

Duration times_as_long(const std::string& every, double factor) {
  const auto longer = std::chrono::duration_cast<Duration>(*model::parse_duration(every) * factor);
  const std::int64_t steps = (longer + milliseconds(10) - Duration(1)) / milliseconds(10);
  return steps * milliseconds(10);
}

// Does what the text says; empty where it is not understood.
std::optional<Site> carried_out(Site site, const std::string& text) {
  std::smatch m;
  const auto row_of = [&](const std::string& name) -> Row& {
    return *std::find_if(site.rows.begin(), site.rows.end(),
                         [&](const Row& r) { return r.name == name; });
  };
  if (std::regex_match(text, m, std::regex(R"(line north: baud = (\d+))"))) {
    site.baud = std::stoi(m[1]);
    return site;
  }
  if (std::regex_match(text, m, std::regex(R"(line north: ((retries|timeout|park) = .*))"))) {
    site.of_line += m[1].str() + "\n";
    return site;
  }
  if (std::regex_match(text, m, std::regex(R"re((\w+) every = "(.*)")re"))) {
    row_of(m[1]).every = m[2];
    return site;
  }
  if (std::regex_match(text, m, std::regex(R"(every period of north x ([\d.]+)(: .*)?)"))) {
    const double factor = std::stod(m[1]);
    const std::string values = m[2];
    std::size_t cyclic = 0;
    for (Row& r : site.rows) {
      if (r.triggered) continue;
      ++cyclic;
      r.every = model::to_text(times_as_long(r.every, factor));
      // what is printed is what results
      const bool printed =
          values.find(r.name + " every = \"" + r.every + "\"") != std::string::npos;
      if (!values.empty() && !printed) return std::nullopt;
    }
    if (!values.empty() &&
        std::count(values.begin(), values.end(), '=') != std::ptrdiff_t(cyclic)) {
      return std::nullopt;
    }
    return site;
  }
  if (std::regex_match(text, m, std::regex(R"(a second line like north for (.*))"))) {
    std::string names = m[1].str() + ", ";
    for (std::size_t at = 0; at < names.size(); at = names.find(", ", at) + 2) {
      site.moved[names.substr(at, names.find(", ", at) - at)] = "north-2";
    }
    return site;
  }
  const std::regex one(R"re((\w+) phase = "([^"]*)"(, )?)re");
  std::string rest = text;
  while (std::regex_search(rest, m, one, std::regex_constants::match_continuous)) {
    // what stays as it is is not named
    const std::string now = row_of(m[1]).phase.empty() ? "0ms" : row_of(m[1]).phase;
    if (now == m[2].str()) return std::nullopt;
    row_of(m[1]).phase = m[2];
    rest = m.suffix();
  }
  return rest.empty() ? std::optional(site) : std::nullopt;
}

// The next smaller step of the same kind, where the text tells which that is.
std::optional<std::string> smaller(const Site& site, const std::string& text) {
  static const std::vector<int> rates{2400, 4800, 9600, 19200, 38400, 57600, 76800, 115200};
  std::smatch m;
  if (std::regex_match(text, m, std::regex(R"(line north: baud = (\d+))"))) {
    const auto at = std::find(rates.begin(), rates.end(), std::stoi(m[1]));
    REQUIRE(at != rates.end());
    if (*std::prev(at) == site.baud) return std::nullopt;
    return fmt::format("line north: baud = {}", *std::prev(at));
  }
  // a step of 10 ms less; a hundredth less
  if (std::regex_match(text, m, std::regex(R"re((\w+) every = "(.*)")re"))) {
    const Duration less = *model::parse_duration(m[2].str()) - milliseconds(10);
    return fmt::format("{} every = \"{}\"", m[1].str(), model::to_text(less));
  }
  if (std::regex_match(text, m, std::regex(R"(every period of north x ([\d.]+): .*)"))) {
    return fmt::format("every period of north x {:g}", std::stod(m[1]) - 0.01);
  }
  if (std::regex_match(text, m, std::regex(R"((a second line like north for .*), \w+)"))) {
    return m[1];
  }
  return std::nullopt;
}

Site random_site() {
  Site site;
  site.baud = *rc::gen::element(9600, 19200);
  const auto rows = *rc::gen::inRange(1, 5);
  for (int i = 0; i < rows; ++i) {
    Row row;
    row.name = fmt::format("t{}", i);
    row.slave = *rc::gen::element<std::string>("gauge", "pump");
    row.every =
        *rc::gen::element<std::string>("100ms", "200ms", "250ms", "300ms", "500ms", "1s", "2s");
    row.phase = *rc::gen::element<std::string>("", "50ms");
    row.count = *rc::gen::inRange(1, 60);
    row.triggered = *rc::gen::inRange(0, 5) == 0;
    if (row.triggered) row.phase.clear();
    site.rows.push_back(row);
  }
  return site;
}

// Every change that is proposed, against the plan with it.
void judge(const Site& site, std::map<TuneKind, int>& seen) {
  const auto loaded = test::load(site.text(), test::base_files());
  TuneOptions options;
  options.most_changes = 20;
  for (const TuneAdvice& advice : tune(loaded.plan, options)) {
    const State now = state_of(site);
    RC_ASSERT(advice.line == "north");
    RC_ASSERT(advice.before.missed == now.missed);
    RC_ASSERT(advice.before.late == now.late);
    const bool in_health = advice.goal == TuneGoal::fit || advice.goal == TuneGoal::guarantee;
    if (in_health) RC_ASSERT_FALSE(now.reaches(advice.goal));
    for (std::size_t i = 0; i < advice.changes.size(); ++i) {
      const TuneChange& change = advice.changes[i];
      RC_LOG() << site.text() << change.text << std::endl;
      if (i > 0) RC_ASSERT(advice.changes[i - 1].kind <= change.kind);
      RC_ASSERT_FALSE(change.cost.empty());
      RC_ASSERT_FALSE(change.text.empty());
      if (change.kind == TuneKind::both) continue;
      ++seen[change.kind];
      const auto changed = carried_out(site, change.text);
      RC_ASSERT(changed.has_value());
      const State then = state_of(*changed);
      RC_ASSERT(std::abs(change.after.utilisation_percent - then.use) < 1e-9);
      RC_ASSERT(change.after.missed == then.missed);
      RC_ASSERT(change.after.late == then.late);
      if (!in_health) continue;
      RC_ASSERT(then.reaches(advice.goal));
      if (const auto less = smaller(site, change.text)) {
        RC_ASSERT_FALSE(state_of(*carried_out(site, *less)).reaches(advice.goal));
      }
    }
  }
}

}  // namespace

TEST_CASE("a proposal carried out gives what it promised, and nothing smaller would do") {
  std::map<TuneKind, int> seen;
  rc::prop("carried out, looked at again", [&seen] { judge(random_site(), seen); });
}

TEST_CASE("every kind of proposal that stands alone is among those that were carried out") {
  // a long one that begins just before each tenth of the short ones; two that overload the line;
  // slaves that hurt the others when they are silent
  const std::vector<std::vector<Row>> sites{
      {{"a", "gauge", "100ms", "", 10}, {"b", "pump", "1s", "90ms", 60}},
      {{"a", "gauge", "250ms", "", 125}, {"b", "pump", "250ms", "", 125}},
      {{"a", "gauge", "1s", "", 2},
       {"b", "pump", "1s", "100ms", 2},
       {"c", "pump", "1s", "200ms", 2}},
      {{"a", "gauge", "1s", "", 2}, {"b", "pump", "5s", "100ms", 2}}};
  bool done = false;  // there is nothing random in it
  rc::prop("carried out", [&sites, &done] {
    if (std::exchange(done, true)) return;
    std::map<TuneKind, int> seen;
    for (const auto& rows : sites) {
      Site site;
      site.rows = rows;
      judge(site, seen);
    }
    for (const TuneKind kind :
         {TuneKind::phases, TuneKind::retries, TuneKind::timeout, TuneKind::park, TuneKind::period,
          TuneKind::baud, TuneKind::split}) {
      RC_LOG() << to_string(kind) << std::endl;
      RC_ASSERT(seen[kind] > 0);
    }
  });
}
