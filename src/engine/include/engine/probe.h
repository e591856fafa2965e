// Asking a device what its manual does not say: reads alone, few of them, and none any more where
// the device is in trouble.
#pragma once

#include <compare>
#include <cstdint>
#include <map>
#include <vector>

#include "engine/request_record.h"
#include "model/address.h"

namespace greymet::engine {

// What one request reads.
struct ProbeBlock {
  model::Area area = model::Area::holding_register;
  std::uint32_t first = 0;
  std::uint32_t count = 1;
  friend auto operator<=>(const ProbeBlock&, const ProbeBlock&) = default;
  friend bool operator==(const ProbeBlock&, const ProbeBlock&) = default;
};

// How it went.
struct ProbeAnswer {
  Outcome outcome = Outcome::unfinished;
  Cause cause = Cause::none;
  std::uint8_t exception = 0;
  std::vector<std::uint16_t> words;  // bits as 0 and 1
  Duration took{};                   // from its turn to its end

  [[nodiscard]] bool is_good() const { return outcome == Outcome::good; }
  // It said no, and is well: function, address or quantity are not for it (exceptions 1 to 3).
  [[nodiscard]] bool is_refusal() const {
    constexpr std::uint8_t last_of_refusals = 3;
    return outcome == Outcome::exception && exception <= last_of_refusals;
  }
};

// One device, asked by whatever wire there is.
class ProbeDevice {
 public:
  ProbeDevice() = default;
  ProbeDevice(const ProbeDevice&) = delete;
  ProbeDevice& operator=(const ProbeDevice&) = delete;
  virtual ~ProbeDevice() = default;
  // One request, no second try. Blocks until it has ended.
  [[nodiscard]] virtual ProbeAnswer ask(const ProbeBlock& block) = 0;
  // Lets time pass without a request; false once somebody wants it all to end.
  virtual bool wait(Duration time) = 0;
};

// How much is asked of a device.
struct ProbeLimits {
  double share = 0.5;            // of the time that requests may take of its line, 0 to 1
  std::size_t most_trouble = 3;  // times in a row without an answer that counts: the end
  std::size_t most_requests = 300;
};

// Asks politely: no block twice unless it is meant, pauses that leave others their part of the
// line and grow with trouble, and an end after the last straw. Keeps a reference.
class PoliteDevice {
 public:
  explicit PoliteDevice(ProbeDevice& device, const ProbeLimits& limits = {})
      : device_(device), limits_(limits) {}

  // What is known of the block, asked if nothing is.
  [[nodiscard]] ProbeAnswer ask(const ProbeBlock& block);
  // Asks whether or not it is known.
  [[nodiscard]] ProbeAnswer ask_again(const ProbeBlock& block);

  // Lets time pass.
  void wait(Duration time) {
    if (!gave_up_ && !device_.wait(time)) gave_up_ = true;
  }

  // It asks nothing any more: too much trouble, too many requests, or somebody wanted an end.
  [[nodiscard]] bool gave_up() const { return gave_up_; }
  [[nodiscard]] bool had_trouble() const { return in_a_row_ >= limits_.most_trouble; }
  [[nodiscard]] std::size_t asked() const { return asked_; }

 private:
  ProbeDevice& device_;
  ProbeLimits limits_;
  std::map<ProbeBlock, ProbeAnswer> known_;
  std::size_t asked_ = 0;
  std::size_t in_a_row_ = 0;  // without an answer that counts
  bool gave_up_ = false;
};

}  // namespace greymet::engine
