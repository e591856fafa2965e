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
  fingerprint,      // the program keeps the plan's fingerprint there
};
[[nodiscard]] std::string_view to_string(MemoryPurpose purpose);
// Somebody puts something there: a read, a peer, a copy, a status, a heartbeat or the fingerprint.
[[nodiscard]] bool puts_something(MemoryPurpose purpose);

// One range and its user.
struct MemoryUse {
  BitRange bits;
  MemoryPurpose purpose = MemoryPurpose::read;
  std::size_t owner = 0;  // transaction, heartbeat, copy or controller, into the resolved plan
  std::optional<StatusKind> status_kind = {};  // of a status
  Range place;
  bool relays = false;  // of a transaction that says so
};

// Per controller, in the order of the plan. Ranges that could not be resolved are left out.
[[nodiscard]] Indexed<std::vector<MemoryUse>, ControllerIndex> memory_uses(
    const ResolvedPlan& resolved);

// "transaction moisture-in", "heartbeat kiln-alive", "copy 1"
[[nodiscard]] Subject owner_subject(const ResolvedPlan& resolved, const MemoryUse& use);

// How two uses of the same bits harm each other.
enum class MemoryConflict : std::uint8_t {
  none,
  read_twice,             // two reads fill them
  source_overwritten,     // a read lands on what a write sends, and no `relays` says that it shall
  status_shared,          // a status lies on something else
  heartbeat_shared,       // two heartbeats toggle the same bit
  heartbeat_overwritten,  // what a heartbeat toggles is filled from elsewhere
  command_from_status,    // a transaction runs because of how another one went
  command_filled,         // what arrives starts or stops a transaction, and no `relays` says so
  peer_fills,             // a peer writes what a read fills
  fingerprint_filled,     // the fingerprint is not alone in its word
  copy_fills,             // a copy of the program fills what somebody else fills
};

// The one answer to "may these uses share memory", for uses of one controller: whoever fills bits
// last wins, and what is filled cannot be somebody's own. `none` where they do not overlap.
// Writers of one peer's registers are rule M04's.
[[nodiscard]] MemoryConflict conflict_of(const MemoryUse& a, const MemoryUse& b);

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
