// What answers of a device mean for the plan: keys of its slave, and what is left to be written by
// hand.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "engine/probe_reach.h"
#include "engine/probe_value.h"
#include "model/finding.h"
#include "model/resolved_plan.h"

namespace greymet::engine {

// A key of [slave.NAME] as it would stand in the plan.
struct SettledKey {
  model::KeyText key;
  std::string because;                     // what shows it, one sentence
  bool is_new = true;                      // false: the plan says so already, and it is true
  bool contradicts = false;                // the plan states something else
  std::optional<model::Delay> delay = {};  // of `reply`: what its text says
};

struct ProbeLines {
  std::vector<SettledKey> keys;      // each once
  std::vector<std::string> by_hand;  // what belongs into a map or another place
};

// Collects what the answers of one slave settle. Keeps a reference to the plan.
class PlanLines {
 public:
  PlanLines(const model::ResolvedPlan& plan, std::size_t slave) : plan_(plan), slave_(slave) {}

  // Nothing of a value that is not settled. `point`: null for plain registers.
  void add(const ValueProbe& value, const ValueTarget& target, const model::Point* point);
  void add(const std::vector<FunctionAnswer>& functions);
  void add(const std::vector<HoleAnswer>& holes);
  void add(const LengthAnswer& length);
  void add(const AtOnceAnswer& at_once);
  // A measured reply time, of so many answers.
  void add_reply(const model::Delay& reply, std::size_t answers);

  // All of it; what was confirmed is off `assumed`.
  [[nodiscard]] ProbeLines take();

 private:
  void settle(std::string key, std::string text, std::string because, bool is_new,
              bool contradicts);
  void confirm(const std::string& key);
  [[nodiscard]] const model::Slave& slave() const { return plan_.plan.slaves[slave_]; }

  const model::ResolvedPlan& plan_;
  std::size_t slave_;
  ProbeLines out_;
  std::vector<std::string> confirmed_;
};

// What a measurement lets one state: typical as measured, the longest with a quarter on top, as the
// longest seen is not the longest there is; both rounded up to two digits, 0.1 ms and 1 ms at
// least.
[[nodiscard]] model::Delay reply_to_state(const model::Delay& measured);
// `{ typical = "6ms", max = "25ms" }`
[[nodiscard]] std::string delay_text(const model::Delay& delay);

}  // namespace greymet::engine
