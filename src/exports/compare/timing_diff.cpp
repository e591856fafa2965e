// What a change of the plan does to its timing.
#include <algorithm>
#include <cmath>
#include <map>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "exports/exchange_diff.h"
#include "files/json_text.h"
#include "files/table_json.h"
#include "model/duration_text.h"
#include "timing/report.h"

namespace greymet::exports {

using Json = nlohmann::ordered_json;

using timing::TimingReport;

namespace {

// All numbers of a report that are worth comparing, in its order.
struct Number {
  std::string subject;
  std::string what;
  std::string unit;
  TimingValue value;
};

TimingValue ms_value(const std::optional<model::Duration>& d) {
  return d ? TimingValue(model::to_ms(*d)) : TimingValue();
}

std::vector<Number> numbers_of(const TimingReport& report) {
  std::vector<Number> out;
  for (const timing::LineReport& line : report.lines) {
    out.push_back({"line " + line.name, "use", "percent", line.utilisation_percent});
    for (const timing::TransactionReport& t : line.transactions) {
      const std::string subject = "transaction " + t.name;
      out.push_back({subject, "longest duration", "ms", ms_value(t.longest)});
      out.push_back({subject, "response bound", "ms", ms_value(t.response_bound)});
      out.push_back({subject, "interval bound", "ms", ms_value(t.interval_bound)});
      out.push_back({subject, "missed", "", static_cast<double>(t.missed)});
    }
  }
  for (const timing::HeartbeatReport& h : report.heartbeats) {
    const std::string subject = "heartbeat " + h.name;
    out.push_back({subject, "verdict", "", std::string(to_string(h.verdict))});
    out.push_back({subject, "carried by", "", h.carried_by});
    out.push_back({subject, "smallest watch", "ms", ms_value(h.watch_min)});
    out.push_back({subject, "largest watch", "ms", ms_value(h.watch_max)});
    out.push_back({subject, "latest alarm", "ms", ms_value(h.latest_alarm)});
  }
  for (const timing::PathReport& p : report.paths) {
    out.push_back({"path " + p.name, "bound", "ms", ms_value(p.bound)});
  }
  return out;
}

bool same(const TimingValue& a, const TimingValue& b) {
  const auto* x = std::get_if<double>(&a);
  const auto* y = std::get_if<double>(&b);
  constexpr double noise = 0.0005;
  if (x != nullptr && y != nullptr) return std::abs(*x - *y) < noise;
  return a == b;
}

std::string value_text(const TimingValue& value, const std::string& unit) {
  if (const auto* text = std::get_if<std::string>(&value)) return text->empty() ? "nothing" : *text;
  const auto* number = std::get_if<double>(&value);
  if (number == nullptr) return "none";
  if (unit == "percent") return fmt::format("{:.2f} %", *number);
  if (unit == "ms") return fmt::format("{:.3f} ms", *number);
  return fmt::format("{}", *number);
}

}  // namespace

std::vector<TimingChange> timing_changes(const TimingReport& old, const TimingReport& now) {
  const std::vector<Number> before = numbers_of(old);
  const std::vector<Number> after = numbers_of(now);
  std::map<std::pair<std::string, std::string>, const Number*> known;
  for (const Number& n : before) known[{n.subject, n.what}] = &n;
  std::vector<TimingChange> out;
  for (const Number& n : after) {
    const auto was = known.find({n.subject, n.what});
    const TimingValue value = was == known.end() ? TimingValue() : was->second->value;
    if (!same(value, n.value)) out.push_back({n.subject, n.what, n.unit, value, n.value});
    if (was != known.end()) known.erase(was);
  }
  for (const Number& n : before) {
    if (known.contains({n.subject, n.what}) && n.value != TimingValue()) {
      out.push_back({n.subject, n.what, n.unit, n.value, TimingValue()});
    }
  }
  return out;
}

std::string to_text(const TimingChange& c) {
  return fmt::format("{}: {} {} -> {}", c.subject, c.what, value_text(c.old, c.unit),
                     value_text(c.now, c.unit));
}

tables::Table changes_table(const std::vector<Change>& changes) {
  using tables::Kind;
  tables::Table out{"changes",
                    "no difference in the exchange",
                    {{"kind", "kind", Kind::text, "what sort of thing it is", 8},
                     {"subject", "of", Kind::text, "its name", 9},
                     {"what", "what", Kind::text, "what differs", 9},
                     {"old", "old", Kind::text, "as it was", 9},
                     {"new", "new", Kind::text, "as it is now", 9}},
                    {}};
  for (const Change& c : changes) out.add({c.kind, c.subject, c.what, c.old, c.now});
  return out;
}

tables::Table timing_changes_table(const std::vector<TimingChange>& timing) {
  using tables::Kind;
  tables::Table out{"timing-changes",
                    "no difference in timing",
                    {{"subject", "of", Kind::text, "line, transaction, heartbeat or path", 9},
                     {"what", "what", Kind::text, "what differs, with its unit", 9},
                     {"old", "old", Kind::text, "as it was", 9},
                     {"new", "new", Kind::text, "as it is now", 9}},
                    {}};
  const auto cell = [](const TimingValue& value) {
    return std::visit([](const auto& v) { return tables::Cell(v); }, value);
  };
  for (const TimingChange& c : timing) {
    std::string what = c.what;
    std::replace(what.begin(), what.end(), ' ', '_');
    if (!c.unit.empty()) what += "_" + c.unit;
    out.add({c.subject, what, cell(c.old), cell(c.now)});
  }
  return out;
}

std::string diff_json(const std::vector<Change>& changes, const std::vector<TimingChange>& timing) {
  return files::dump({{"changes", files::rows_json(changes_table(changes))},
                      {"timing", files::rows_json(timing_changes_table(timing))}});
}

}  // namespace greymet::exports
