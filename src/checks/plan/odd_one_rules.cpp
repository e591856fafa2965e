// P11: one of slaves with the same map that is not like the others.
#include <algorithm>
#include <map>
#include <vector>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "model/text_slips.h"

namespace greymet::checks {

using model::Slave;
using model::Transaction;
using model::value_or;

namespace {

// What one of them says under a key, and where; nothing where it says nothing.
struct Said {
  std::string text;
  model::Range place;
};
using Sayings = std::map<std::string, Said>;  // by key

constexpr std::size_t fewest = 3;  // of two nobody knows which is odd

template <class T, class Write>
void say(Sayings& out, std::string_view key, const model::Declared<T>& value, const Write& write) {
  if (value) out[std::string(key)] = {write(value->value), value->place};
}

std::string number_text(std::int64_t number) {
  return fmt::format("{}", number);
}

std::string duration_text(model::Duration d) {
  return model::to_text(d);
}

Sayings sayings_of(const Slave& slave) {
  Sayings out;
  const auto word = [](model::WordOrder v) { return std::string(to_string(v)); };
  const auto delay = [](const model::Delay& d) {
    return fmt::format("{} to {}", model::to_text(d.typical), model::to_text(d.max));
  };
  say(out, "numbering", slave.numbering,
      [](model::Numbering n) { return std::string(to_string(n)); });
  say(out, "word_order", slave.word_order, word);
  say(out, "reply", slave.reply, delay);
  say(out, "functions", slave.functions, [](const std::vector<model::Located<std::int64_t>>& list) {
    std::vector<std::int64_t> numbers;
    numbers.reserve(list.size());
    for (const auto& each : list) numbers.push_back(each.value);
    std::sort(numbers.begin(), numbers.end());
    return fmt::format("{}", fmt::join(numbers, ", "));
  });
  say(out, "max_read", slave.max_read, number_text);
  say(out, "max_write", slave.max_write, number_text);
  say(out, "watchdog", slave.watchdog, duration_text);
  say(out, "pause", slave.pause, duration_text);
  say(out, "timeout", slave.timeout, duration_text);
  say(out, "retries", slave.retries, number_text);
  say(out, "port", slave.port, number_text);
  return out;
}

// What a row moves: the rows that alike slaves have in common are the same in this.
std::string row_key(const Transaction& t) {
  std::string what = t.block.at ? t.block.at->value.text : "";
  if (t.block.points) {
    for (const auto& point : t.block.points->value) what += " " + point.value;
  }
  std::string text = fmt::format("function {} at {}", value_or(t.function, std::int64_t{0}), what);
  if (t.block.count) text += fmt::format(", count {}", t.block.count->value);
  return text;
}

// How often, and what happens at a loss.
Sayings sayings_of(const Transaction& t) {
  Sayings out;
  say(out, "every", t.every, [](const model::Every& every) {
    return every.continuous ? std::string("continuous") : model::to_text(every.period);
  });
  say(out, "min_gap", t.min_gap, duration_text);
  say(out, "on_loss", t.on_loss, [](model::OnLoss o) { return std::string(to_string(o)); });
  say(out, "swap", t.block.swap,
      [](model::WordOrder order) { return std::string(to_string(order)); });
  return out;
}

// One of the alike: what it says, and its name in messages.
struct Alike {
  model::Subject subject;
  std::string name;
  model::Range place;
  Sayings said;
};

std::string others_of(const std::vector<Alike>& alike, std::size_t odd) {
  std::vector<std::string> names;
  for (std::size_t i = 0; i < alike.size(); ++i) {
    if (i != odd) names.push_back(alike[i].name);
  }
  if (names.size() <= 3) return fmt::format("{}", fmt::join(names, ", "));
  return fmt::format("{}, {} and {} more", names[0], names[1], names.size() - 2);
}

// Of each key: all others say the same, and one another thing or nothing.
void report_odd(const std::vector<Alike>& alike, model::Findings& out) {
  if (alike.size() < fewest) return;
  std::map<std::string, bool> keys;
  for (const Alike& each : alike) {
    for (const auto& [key, said] : each.said) keys[key] = true;
  }
  for (const auto& [key, unused] : keys) {
    std::map<std::string, std::vector<std::size_t>> by_text;
    for (std::size_t i = 0; i < alike.size(); ++i) {
      const auto found = alike[i].said.find(key);
      by_text[found == alike[i].said.end() ? std::string() : found->second.text].push_back(i);
    }
    if (by_text.size() != 2) continue;
    const auto& first = *by_text.begin();
    const auto& second = *by_text.rbegin();
    if (first.second.size() != 1 && second.second.size() != 1) continue;
    const auto& [odd_text, odd_at] = first.second.size() == 1 ? first : second;
    const std::string& usual = first.second.size() == 1 ? second.first : first.first;
    const Alike& odd = alike[odd_at.front()];
    const auto own = odd.said.find(key);
    const auto words = [](const std::string& text) { return text.empty() ? "not stated" : text; };
    internal::report(out, model::RuleCode::P11, model::Severity::note,
                     own == odd.said.end() ? odd.place : own->second.place, odd.subject,
                     fmt::format("`{}` is {} here, and {} of {}, which have the same map", key,
                                 words(odd_text), words(usual), others_of(alike, odd_at.front())),
                     "make it the same, or accept it where the device differs");
  }
}

// All others have such a row.
void report_missing_row(const model::Plan& plan, const std::vector<std::size_t>& slaves,
                        const std::string& what, const std::vector<Alike>& rows,
                        const std::map<std::string, std::vector<const Transaction*>>& of_slave,
                        model::Findings& out) {
  const auto has = [&](const Slave& slave) {
    const auto own = of_slave.find(slave.name);
    return own != of_slave.end() &&
           std::any_of(own->second.begin(), own->second.end(),
                       [&](const Transaction* t) { return row_key(*t) == what; });
  };
  for (const std::size_t s : slaves) {
    const Slave& slave = plan.slaves[s];
    if (has(slave)) continue;
    internal::report(out, model::RuleCode::P11, model::Severity::note, slave.place,
                     subject_of(slave),
                     fmt::format("has no row as {} ({}), which all {} others with the "
                                 "same map have",
                                 rows.front().name, what, rows.size()),
                     "add the row, or accept it where nothing is to be read there",
                     {{rows.front().place, "as here"}});
  }
}

}  // namespace

void check_odd_ones(const RuleInput& in, model::Findings& out) {
  const model::Plan& plan = in.plan.plan;
  std::map<std::size_t, std::vector<std::size_t>> by_map;
  std::map<std::string, std::vector<const Transaction*>> rows;  // by slave
  for (const Transaction& t : plan.transactions) {
    if (t.slave) rows[t.slave->value].push_back(&t);
  }
  for (std::size_t s = 0; s < plan.slaves.size(); ++s) {
    // what is written once differs only where that is said
    if (plan.slaves[s].map && plan.written_as.count(subject_of(plan.slaves[s])) == 0) {
      by_map[*plan.slaves[s].map].push_back(s);
    }
  }
  for (const auto& [map, slaves] : by_map) {
    if (slaves.size() < fewest) continue;
    std::vector<Alike> alike;
    std::map<std::string, std::vector<Alike>> alike_rows;
    for (const std::size_t s : slaves) {
      const Slave& slave = plan.slaves[s];
      alike.push_back({subject_of(slave), slave.name, slave.place, sayings_of(slave)});
      std::map<std::string, const Transaction*> own;  // one of a kind
      for (const Transaction* t : rows[slave.name]) {
        if (!own.emplace(row_key(*t), t).second) own[row_key(*t)] = nullptr;
      }
      for (const auto& [key, t] : own) {
        if (t != nullptr) {
          alike_rows[key].push_back({subject_of(*t), t->name, t->place, sayings_of(*t)});
        }
      }
    }
    report_odd(alike, out);
    for (const auto& [key, each] : alike_rows) {
      if (each.size() == slaves.size()) report_odd(each, out);
      if (slaves.size() <= fewest || each.size() + 1 != slaves.size()) continue;
      report_missing_row(plan, slaves, key, each, rows, out);
    }
  }
}

}  // namespace greymet::checks
