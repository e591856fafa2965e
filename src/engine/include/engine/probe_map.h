// Which registers and bits a device has, of which nobody knows anything: found by reading.
#pragma once

#include <cstdint>
#include <vector>

#include "engine/probe.h"
#include "model/address.h"

namespace greymet::engine {

// Registers or bits, one behind the other, that were answered, with what they held.
struct FoundStretch {
  model::Area area = model::Area::holding_register;
  std::uint32_t first = 0;
  std::vector<std::uint16_t> words;  // bits as 0 and 1
};

// Blocks that may be asked of [0, up_to): 32 of them at a time, and their halves down to one.
[[nodiscard]] std::vector<ProbeBlock> map_blocks(model::Area area, std::uint32_t up_to);

// Reads [0, up_to). A block that is refused is read by its halves; where the first registers of its
// quarters and its last one are refused as well it counts as empty, which spares a device that has
// few registers hundreds of questions: runs of fewer than eight may be missed. Ends where the
// device is in trouble, or asked too often.
[[nodiscard]] std::vector<FoundStretch> probe_map(PoliteDevice& device, model::Area area,
                                                  std::uint32_t up_to);

}  // namespace greymet::engine
