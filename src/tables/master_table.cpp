// What to set on controllers, as masters of lines, clients of hosts, and where they answer.
#include <algorithm>
#include <set>
#include <tuple>

#include <fmt/format.h>

#include "model/resolved_plan.h"
#include "tables/plan_tables.h"

namespace greymet::tables {

using model::ResolvedPlan;

namespace {

// MODBUS over Serial Line V1.02, 2.2: single slaves have 1 to 247.
constexpr int highest_unit = 247;

// A serial master has no number; some tools ask for one, which nobody else may have.
std::string unit_of_master(const ResolvedPlan& plan, model::LineIndex line) {
  std::set<int> taken;
  for (const model::ExchangeSlave& slave : plan.exchange.slaves) {
    if (slave.line && *slave.line == line && slave.unit) taken.insert(slave.unit->value);
  }
  for (const model::ExchangeController& c : plan.exchange.controllers) {
    for (const model::ExchangeAnswer& answer : c.answers) {
      if (answer.line && *answer.line == line && answer.unit) taken.insert(answer.unit->value);
    }
  }
  int free = highest_unit;
  while (free > 0 && taken.contains(free)) --free;
  return free > 0 ? fmt::format("none; {} is free", free) : "none";
}

class Masters {
 public:
  explicit Masters(const ResolvedPlan& plan) : plan_(plan) {}

  Table table() {
    for (std::size_t c = 0; c < plan_.exchange.controllers.size(); ++c) {
      const model::ControllerIndex controller(c);
      add_lines(controller);
      add_connections(controller);
      add_answers(controller);
    }
    return std::move(out_);
  }

 private:
  // What all rows begin with.
  [[nodiscard]] std::vector<Cell> head(model::ControllerIndex controller, const char* role,
                                       const std::string& at) const {
    const auto& address = plan_.plan.controllers[controller].address;
    return {text(plan_.exchange.controllers[controller].name),
            address ? text(address->value) : Cell(),
            Cell(plan_.exchange.controllers[controller].scan), text(role), text(at)};
  }

  void add_lines(model::ControllerIndex controller) {
    for (std::size_t l = 0; l < plan_.exchange.lines.size(); ++l) {
      const model::ExchangeLine& line = plan_.exchange.lines[l];
      if (!line.master || *line.master != controller) continue;
      std::vector<Cell> row =
          head(controller, "master",
               line.port ? fmt::format("{} ({})", line.name, *line.port) : line.name);
      row.push_back(text(unit_of_master(plan_, model::LineIndex(l))));
      row.push_back(line.mode ? text(to_string(*line.mode)) : Cell());
      row.push_back(maybe(line.baud));
      row.push_back(line.format ? text(to_text(*line.format)) : Cell());
      row.emplace_back(line.timeout);
      row.emplace_back(line.retries);
      row.emplace_back(line.pause);
      row.push_back(line.turnaround > Duration{} ? Cell(line.turnaround) : Cell());
      row.insert(row.end(), 2, Cell());
      row.emplace_back(asked([&](const model::ExchangeTransaction& t) {
        return t.controller == controller && t.endpoint.line &&
               *t.endpoint.line == model::LineIndex(l) && !t.endpoint.connection;
      }));
      out_.add(std::move(row));
    }
  }

  // Whom transactions ask, each once, in list order.
  template <class Wanted>
  [[nodiscard]] Words asked(const Wanted& wanted) const {
    Words names;
    for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
      const std::string& name = plan_.target_name(t.target);
      if (wanted(t) && std::find(names.begin(), names.end(), name) == names.end()) {
        names.push_back(name);
      }
    }
    return names;
  }

  void add_connections(model::ControllerIndex controller) {
    for (std::size_t i = 0; i < plan_.exchange.connections.size(); ++i) {
      const model::Connection& connection = plan_.exchange.connections[i];
      if (connection.controller != controller) continue;
      // mostly one; slaves behind one host and port may differ
      std::set<std::tuple<Duration, std::int64_t, std::int64_t>> settings;
      const auto is_here = [&](const model::ExchangeTransaction& t) {
        return t.endpoint.connection && *t.endpoint.connection == model::ConnectionIndex(i);
      };
      const auto of = [](const model::ExchangeTransaction& t) {
        return std::tuple(t.endpoint.timeout, t.endpoint.retries, t.endpoint.in_flight);
      };
      for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
        if (is_here(t)) settings.insert(of(t));
      }
      for (const auto& each : settings) {
        std::vector<Cell> row =
            head(controller, "client", fmt::format("{}:{}", connection.host, connection.port));
        row.push_back(Cell());
        row.push_back(text("tcp"));
        row.insert(row.end(), 2, Cell());
        row.emplace_back(std::get<0>(each));
        row.emplace_back(std::get<1>(each));
        row.insert(row.end(), 2, Cell());
        row.emplace_back(std::get<2>(each));
        row.push_back(whole(1));
        row.emplace_back(asked([&](const auto& t) { return is_here(t) && of(t) == each; }));
        out_.add(std::move(row));
      }
    }
  }

  void add_answers(model::ControllerIndex controller) {
    const auto& answers = plan_.exchange.controllers[controller].answers;
    for (std::size_t a = 0; a < answers.size(); ++a) {
      const model::ExchangeAnswer& answer = answers[a];
      const std::string at = answer.line      ? plan_.exchange.lines[*answer.line].name
                             : answer.on_line ? "a line that is not there"
                                              : fmt::format("port {}", answer.port);
      std::vector<Cell> row = head(controller, "answers", at);
      row.push_back(answer.unit ? text(fmt::format("{}", answer.unit->value)) : Cell());
      row.push_back(answer.on_line ? Cell() : text("tcp"));
      row.insert(row.end(), 7, Cell());
      row.push_back(maybe(answer.connections));
      const auto& allows = plan_.plan.controllers[controller].answers[a].allows;
      Words who;
      if (allows) {
        for (const auto& each : allows->value) who.push_back(each.value);
      }
      row.emplace_back(std::move(who));
      out_.add(std::move(row));
    }
  }

  const ResolvedPlan& plan_;
  Table out_{
      "masters",
      "no controller asks anybody, and none answers",
      {{"controller", "controller", Kind::text, "whose port or connection it is", 9},
       {"address", "own address", Kind::text, "its address and mask", 7},
       {"scan_ms", "scan", Kind::duration, "how often its program runs", 4},
       {"role", "role", Kind::text, "master of a line, client of a host, or answers itself", 8},
       {"at", "at", Kind::text, "the line and its port, the host, or the port it answers on", 9},
       {"unit", "unit", Kind::text, "its own number: a master on a line has none", 6},
       {"mode", "mode", Kind::text, "how frames are written", 7},
       {"baud", "baud", Kind::whole, "bits a second", 8},
       {"format", "format", Kind::text, "data bits, parity and stop bits of a character", 8},
       {"timeout_ms", "timeout", Kind::duration, "how long it waits for an answer", 8},
       {"retries", "retries", Kind::whole, "tries after the first that failed", 8},
       {"pause_ms", "pause", Kind::duration, "between an answer and the next request", 5},
       {"turnaround_ms", "turnaround", Kind::duration, "behind a request to all", 3},
       {"in_flight", "under way", Kind::whole, "requests at once on one connection", 4},
       {"connections", "connections", Kind::whole, "that it opens, or takes at once", 4},
       {"who", "who", Kind::words, "whom it asks; who may ask it, where that is limited", 6}},
      {}};
};

}  // namespace

Table masters_table(const ResolvedPlan& plan) {
  return Masters(plan).table();
}

}  // namespace greymet::tables
