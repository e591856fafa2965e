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

// One range and its user.
struct MemoryUse {
  BitRange bits;
  MemoryPurpose purpose = MemoryPurpose::read;
  std::size_t owner = 0;         // transaction, heartbeat or copy, into the resolved plan
  std::string_view status_kind;  // of a status: "busy", "done", "failed", "exception"
  Place place;
};

// Per controller, in the order of the plan. Ranges that could not be resolved are left out.
[[nodiscard]] std::vector<std::vector<MemoryUse>> memory_uses(const ResolvedPlan& resolved);

// "transaction moisture-in", "heartbeat kiln-alive", "copy 1"
[[nodiscard]] std::string owner_subject(const ResolvedPlan& resolved, const MemoryUse& use);

// Stretches of a store that no use touches, by address; `end` is the end of the store in bits.
[[nodiscard]] std::vector<BitRange> free_ranges(const std::vector<MemoryUse>& uses,
                                                std::size_t store, std::uint64_t end);

// The lowest `count` words or bits of an area within its store's free stretches; words at even
// numbers where the controller's model aligns 32-bit values. Nothing if there is no such range.
[[nodiscard]] std::optional<MemoryRange> first_free(const ResolvedPlan& resolved,
                                                    std::size_t controller,
                                                    const std::vector<BitRange>& free,
                                                    std::size_t area, std::int64_t count);

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
