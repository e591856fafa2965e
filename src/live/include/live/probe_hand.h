// A device at the end of a wire, as probing asks it.
#pragma once

#include <vector>

#include "engine/probe.h"
#include "live/hand.h"

namespace greymet::live {

// Asks through a hand that was opened for these blocks, in this order. Keeps a reference.
class HandDevice final : public engine::ProbeDevice {
 public:
  HandDevice(Hand& hand, std::vector<engine::ProbeBlock> blocks)
      : hand_(hand), blocks_(std::move(blocks)) {}

  // A block it was not opened for is not asked.
  [[nodiscard]] engine::ProbeAnswer ask(const engine::ProbeBlock& block) override;
  bool wait(engine::Duration time) override { return hand_.wait(time); }

 private:
  Hand& hand_;
  std::vector<engine::ProbeBlock> blocks_;
};

}  // namespace greymet::live
