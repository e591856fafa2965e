#include "tune_edits.h"

#include <map>
#include <set>

#include <fmt/format.h>

#include "model/duration_text.h"
#include "model/unfold_alike.h"

namespace greymet::packing::internal {

using model::Edit;
using model::EditKind;
using model::KeyText;
using model::Plan;

namespace {

std::string text_of(model::Duration d) {
  return fmt::format("\"{}\"", model::to_text(d));
}
std::string text_of(std::int64_t n) {
  return fmt::format("{}", n);
}
std::string text_of(const std::string& name) {
  return fmt::format("\"{}\"", name);
}
std::string text_of(const model::Park& park) {
  return fmt::format("{{ after = {}, retry = {} }}", park.after, text_of(park.retry));
}

bool same(const model::Park& a, const model::Park& b) {
  return a.after == b.after && a.retry == b.retry;
}
template <class T>
bool same(const T& a, const T& b) {
  return a == b;
}

template <class T>
void compare(std::string_view key, const model::Declared<T>& before,
             const model::Declared<T>& after, std::vector<KeyText>& keys) {
  if (!after || (before && same(before->value, after->value))) return;
  keys.push_back({std::string(key), text_of(after->value)});
}

void add(model::Range place, std::vector<KeyText> keys, std::vector<Edit>& edits) {
  if (!keys.empty()) edits.push_back({place, {}, EditKind::set_keys, std::move(keys)});
}

// A new table in front of the one it was copied from.
Edit line_table(const model::Line& line, const model::Line& like) {
  std::string text = fmt::format("[line.{}]  # its port: to be chosen\n", line.name);
  const auto key = [&](std::string_view name, const std::string& value) {
    text += fmt::format("{} = {}\n", name, value);
  };
  if (line.master) key("master", text_of(line.master->value));
  if (line.medium) key("medium", text_of(std::string(to_string(line.medium->value))));
  if (line.settings.mode) key("mode", text_of(std::string(to_string(line.settings.mode->value))));
  if (line.settings.baud) key("baud", text_of(line.settings.baud->value));
  if (line.settings.format) key("format", text_of(model::to_text(line.settings.format->value)));
  if (line.timeout) key("timeout", text_of(line.timeout->value));
  if (line.retries) key("retries", text_of(line.retries->value));
  if (line.pause) key("pause", text_of(line.pause->value));
  if (line.turnaround) key("turnaround", text_of(line.turnaround->value));
  if (line.timeout_to) {
    key("timeout_to",
        text_of(std::string(line.timeout_to->value == model::TimeoutTo::first ? "first" : "last")));
  }
  if (line.latency) {
    key("latency", fmt::format("{{ typical = {}, max = {} }}", text_of(line.latency->value.typical),
                               text_of(line.latency->value.max)));
  }
  if (line.character_gap) key("character_gap", fmt::format("{}", line.character_gap->value));
  if (line.order) {
    key("order", text_of(std::string(line.order->value == model::Order::list ? "list" : "due")));
  }
  if (line.park) key("park", text_of(line.park->value));
  text += '\n';
  model::Range at = like.place;
  at.column = 1;
  at.end_line = at.line;
  at.end_column = 1;
  return {at, std::move(text)};
}

std::vector<model::Duration> phases_in(const Plan& plan, const std::vector<std::size_t>& row) {
  std::vector<model::Duration> phases;
  phases.reserve(row.size());
  for (const std::size_t i : row) {
    phases.push_back(model::value_or(plan.transactions[i].phase, model::Duration{}));
  }
  return phases;
}

bool same_period(const model::Transaction& a, const model::Transaction& b) {
  return a.every.has_value() == b.every.has_value() &&
         (!a.every || a.every->value.period == b.every->value.period);
}

template <class T>
void share(model::Declared<T> model::Slave::*key, const model::Slave& before,
           const model::Slave& changed, model::Slave& other) {
  const auto& was = before.*key;
  const auto& now = changed.*key;
  if (now && (!was || was->value != now->value)) other.*key = now;
}

}  // namespace

void change_together(const Plan& before, Plan& after) {
  for (const auto& row : model::rows_written(before)) {
    if (row.size() < 2) continue;
    for (const std::size_t i : row) {
      if (same_period(before.transactions[i], after.transactions[i])) continue;
      for (const std::size_t other : row) {
        after.transactions[other].every = after.transactions[i].every;
      }
      break;
    }
    if (phases_in(before, row) == phases_in(after, row)) continue;
    const auto phases = model::phases_of_row(phases_in(after, row));
    for (std::size_t k = 0; k < row.size(); ++k) {
      const auto phase = phases.phase + *phases.step * static_cast<std::int64_t>(k);
      after.transactions[row[k]].phase = model::Located<model::Duration>{phase, {}};
    }
  }
  std::map<model::Range, std::vector<std::size_t>> tables;
  for (std::size_t s = 0; s < before.slaves.size(); ++s) {
    tables[before.slaves[s].place].push_back(s);
  }
  for (const auto& [place, slaves] : tables) {
    for (const std::size_t s : slaves) {
      for (const std::size_t other : slaves) {
        if (other == s) continue;
        share(&model::Slave::line, before.slaves[s], after.slaves[s], after.slaves[other]);
        share(&model::Slave::timeout, before.slaves[s], after.slaves[s], after.slaves[other]);
        share(&model::Slave::retries, before.slaves[s], after.slaves[s], after.slaves[other]);
      }
    }
  }
}

model::Fix edits_between(const Plan& before, const Plan& after, std::string title) {
  std::vector<Edit> edits;
  for (const auto& row : model::rows_written(before)) {
    const model::Transaction& a = before.transactions[row.front()];
    const model::Transaction& b = after.transactions[row.front()];
    std::vector<KeyText> keys;
    if (b.every && (!a.every || a.every->value.period != b.every->value.period)) {
      keys.push_back({"every", text_of(b.every->value.period)});
    }
    compare("phase", a.phase, b.phase, keys);
    const auto phases = model::phases_of_row(phases_in(after, row));
    const auto own = model::phases_of_row(phases_in(before, row));
    if (phases.step != own.step) keys.push_back({"phase_step", text_of(*phases.step)});
    add(a.place, std::move(keys), edits);
  }
  for (std::size_t i = 0; i < before.lines.size(); ++i) {
    const model::Line& a = before.lines[i];
    const model::Line& b = after.lines[i];
    std::vector<KeyText> keys;
    compare("baud", a.settings.baud, b.settings.baud, keys);
    compare("timeout", a.timeout, b.timeout, keys);
    compare("retries", a.retries, b.retries, keys);
    compare("park", a.park, b.park, keys);
    add(a.place, std::move(keys), edits);
  }
  for (std::size_t i = 0; i < before.gateways.size(); ++i) {
    std::vector<KeyText> keys;
    compare("timeout", before.gateways[i].timeout, after.gateways[i].timeout, keys);
    compare("retries", before.gateways[i].retries, after.gateways[i].retries, keys);
    add(before.gateways[i].place, std::move(keys), edits);
  }
  std::set<model::Range> tables;  // a table may stand for several slaves
  for (std::size_t i = 0; i < before.slaves.size(); ++i) {
    if (!tables.insert(before.slaves[i].place).second) continue;
    const model::Slave& a = before.slaves[i];
    const model::Slave& b = after.slaves[i];
    std::vector<KeyText> keys;
    compare("line", a.line, b.line, keys);
    compare("timeout", a.timeout, b.timeout, keys);
    compare("retries", a.retries, b.retries, keys);
    add(a.place, std::move(keys), edits);
    // the rate stands in a table of its own within the slave's
    if (a.settings.baud && b.settings.baud && a.settings.baud->value != b.settings.baud->value) {
      add(a.settings.baud->place, {{"baud", text_of(b.settings.baud->value)}}, edits);
    }
  }
  for (std::size_t i = before.lines.size(); i < after.lines.size(); ++i) {
    const model::Line& line = after.lines[i];
    const model::Line* like = &before.lines.front();
    for (const model::Line& each : before.lines) {
      if (each.place == line.place) like = &each;
    }
    edits.push_back(line_table(line, *like));
  }
  return {std::move(title), std::move(edits), false};
}

}  // namespace greymet::packing::internal
