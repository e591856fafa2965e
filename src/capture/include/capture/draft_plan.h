// The exchange that nobody documented: a plan and maps drafted from what was on the wire.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "capture/auditor.h"
#include "capture/value_motion.h"

namespace greymet::capture {

// Collects what answers bring and writes send, word by word: at most 200,000 words. To be given to
// Auditor::watch().
class SeenValues {
 public:
  void add(const AskKey& key, const std::vector<std::uint16_t>& words);
  // Of one request, from its first word on; empty where none was seen.
  [[nodiscard]] const SeenRegisters& of(const AskKey& key) const;

 private:
  std::map<AskKey, SeenRegisters> words_;
  std::size_t kept_ = 0;
};

// Files by their names: plan.toml, and maps/NAME.csv for each slave.
struct DraftedPlan {
  std::map<std::string, std::string> files;
  std::size_t slaves = 0;
  std::size_t transactions = 0;
  std::vector<std::string> left_out;  // what was seen too seldom to be cyclic, or cannot be planned
};

// From an audit of an empty plan. Each unit of each host is a slave, each request that came at
// least three times a transaction with the period that it had; registers are u16 but where there is
// little doubt (SeenRegisters::likely()): how they moved stands beside them. `rtu_wires`: hosts and
// ports at which RTU frames were spoken; their units are slaves on a line behind a gateway.
[[nodiscard]] DraftedPlan draft_plan(const AuditResult& result, const SeenValues& values,
                                     const std::set<std::string>& rtu_wires = {});

// The period that people would have written: within 3 % of a usual one that, else to two digits.
[[nodiscard]] Duration usual_period(Duration measured);

}  // namespace greymet::capture
