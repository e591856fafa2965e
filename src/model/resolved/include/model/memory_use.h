// Who uses what: every range of every controller's memory, and of every slave's registers.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "model/resolved_plan.h"

namespace greymet::model {

// What a range of a controller's memory is for.
enum class MemoryPurpose : std::uint8_t {
  read,             // filled by a read
  sent,             // the source of a write
  status,           // busy, done, failed, exception of a transaction
  heartbeat,        // toggled by the program
  trigger,          // starts a transaction
  gate,             // lets a cyclic write run
  copy_source,      // read by the program's copies
  copy_target,      // filled by the program's copies
  written_by_peer,  // exposed: another controller writes it
  read_by_peer,     // exposed: another controller reads it
};
[[nodiscard]] std::string_view to_string(MemoryPurpose purpose);
// Somebody puts something there: a read, a peer, a copy, a status or a heartbeat.
[[nodiscard]] bool puts_something(MemoryPurpose purpose);

// One range and its user.
struct MemoryUse {
  BitRange bits;
  MemoryPurpose purpose = MemoryPurpose::read;
  std::size_t owner = 0;  // transaction, heartbeat or copy, into the resolved plan
  std::optional<StatusKind> status_kind = {};  // of a status
  Range place;
};

// Per controller, in the order of the plan. Ranges that could not be resolved are left out.
[[nodiscard]] Indexed<std::vector<MemoryUse>, ControllerIndex> memory_uses(
    const ResolvedPlan& resolved);

// "transaction moisture-in", "heartbeat kiln-alive", "copy 1"
[[nodiscard]] Subject owner_subject(const ResolvedPlan& resolved, const MemoryUse& use);

// Two uses of the same bits that harm each other: whoever fills them last wins, or a value is sent
// that a read has overwritten. `relays` of a write makes the latter intended.
[[nodiscard]] bool harm_each_other(const ResolvedPlan& resolved, const MemoryUse& a,
                                   const MemoryUse& b);

// Registers or bits of a slave that a transaction moves.
struct DeviceUse {
  Area area = Area::holding_register;
  Extent extent;
  bool is_read = true;
  std::size_t transaction = 0;
};

// Per slave, in list order.
[[nodiscard]] std::vector<std::vector<DeviceUse>> device_uses(const ResolvedPlan& resolved);

}  // namespace greymet::model
