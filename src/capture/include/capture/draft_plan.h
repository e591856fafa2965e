// The exchange that nobody documented: a plan and maps drafted from what was on the wire.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "capture/auditor.h"

namespace greymet::capture {

// How the registers, or bits, of one request were seen to move.
struct SeenWord {
  std::uint16_t least = 0xFFFF;
  std::uint16_t greatest = 0;
  std::uint16_t last = 0;
  std::uint64_t samples = 0;
  std::uint64_t changes = 0;
};

// Collects what answers bring and writes send, word by word: at most 200,000 words. To be given to
// Auditor::watch().
class SeenValues {
 public:
  void add(const AskKey& key, const std::vector<std::uint16_t>& words);
  // Of one request, from its first word on; empty where none was seen.
  [[nodiscard]] const std::vector<SeenWord>& of(const AskKey& key) const;

 private:
  std::map<AskKey, std::vector<SeenWord>> words_;
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
// least three times a transaction with the period that it had; registers are u16, as nothing on the
// wire says what they mean: how they moved stands beside them.
[[nodiscard]] DraftedPlan draft_plan(const AuditResult& result, const SeenValues& values);

// The period that people would have written: within 3 % of a usual one that, else to two digits.
[[nodiscard]] Duration usual_period(Duration measured);

}  // namespace greymet::capture
