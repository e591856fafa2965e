// The last minute of every value that a run brings, a sample a second. Not for use outside this
// folder.
#pragma once

#include <deque>
#include <map>
#include <optional>
#include <utility>
#include <vector>

#include "engine/run_watch.h"

namespace greymet::cli {

// A point, or a word that no point covers, of what a transaction brought or sent last.
struct CarriedValue {
  std::string name;  // of the point; "hr:12" of a word
  std::string text;  // in engineering units, with its name; of a word its number
  std::string unit;
  std::string raw;        // hexadecimal words; of a word also signed, and as text
  std::size_t first = 0;  // word or bit of the block
  std::optional<double> number;
};
// All of the block, in its order; empty before anything came.
[[nodiscard]] std::vector<CarriedValue> carried_values(const model::ResolvedPlan& plan,
                                                       const engine::RunWatch& watch,
                                                       std::size_t transaction);

class ValueHistory {
 public:
  static constexpr std::size_t most = 60;
  // Keeps a reference.
  explicit ValueHistory(const model::ResolvedPlan& plan) : plan_(plan) {}

  // To be called several times a second; samples once.
  void look(model::Duration now, const engine::RunWatch& watch);
  // The oldest first; nothing where no answer came in that second.
  [[nodiscard]] const std::deque<std::optional<double>>* of(std::size_t transaction,
                                                            std::size_t first) const;

 private:
  const model::ResolvedPlan& plan_;
  std::map<std::pair<std::size_t, std::size_t>, std::deque<std::optional<double>>> samples_;
  std::map<std::size_t, model::Duration> sampled_;  // the answer that was sampled last
  model::Duration next_{};
};

// "▁▃▆█": a bar a sample, from the least to the greatest of them; in ASCII where nothing else can
// be shown.
[[nodiscard]] std::string sparkline(const std::deque<std::optional<double>>& samples, bool utf8);

}  // namespace greymet::cli
