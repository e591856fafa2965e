// What lies where: every controller's memory and every slave's registers, with what is free and
// where two users harm each other. What `greymet memory` shows.
#pragma once

#include <string>
#include <vector>

#include "model/memory_use.h"

namespace greymet::model {

// One range of a store, with its user.
struct MemoryRow {
  BitRange bits;
  std::string range;       // "%MW100..%MW107", "%MW2000.0"
  std::int64_t count = 0;  // words, or bits of a bit store or of part of a word
  MemoryPurpose purpose = MemoryPurpose::read;
  std::string by;                      // name of the transaction or heartbeat, or "program"
  bool assigned = false;               // placed by us: the plan names only the area
  bool clash = false;                  // overlaps another user's range to somebody's harm
  std::vector<std::string> tags = {};  // of the program, that lie in it
};

// Bits that two users claim to somebody's harm.
struct MemoryClash {
  BitRange bits;
  std::string range;
  Subject first;
  Subject second;
};

// A store: a word area with the bit areas inside it, or a bit area of its own.
struct StoreReport {
  std::size_t area = 0;  // into Controller::memory
  std::string name;      // "%MW"
  bool words = true;
  std::int64_t first = 0;
  std::int64_t count = 0;       // words or bits
  std::int64_t used = 0;        // of them touched by any use
  std::vector<MemoryRow> rows;  // by address
  std::vector<BitRange> free;
  std::vector<MemoryClash> clashes;   // the first ones
  std::size_t clashes_not_named = 0;  // further ones
};

// One controller, store by store.
struct ControllerMemory {
  std::size_t controller = 0;
  std::vector<StoreReport> stores;
};

// Registers or bits of a slave that a transaction moves, or that nobody does.
struct DeviceRow {
  Extent extent;
  bool is_read = true;
  std::string by;
  bool clash = false;  // also written by another transaction
};

// One area of a slave.
struct DeviceAreaReport {
  Area area = Area::holding_register;
  std::vector<DeviceRow> rows;        // by address
  std::vector<Extent> listed;         // runs that the map lists
  std::vector<std::string> unused;    // points that no transaction moves
  std::vector<Extent> written_twice;  // by two transactions
};

// One slave, area by area.
struct SlaveMemory {
  std::size_t slave = 0;
  std::vector<DeviceAreaReport> areas;  // those listed or used
};

// Who uses what, on both sides, in the order of the plan.
struct MemoryReport {
  std::vector<ControllerMemory> controllers;
  std::vector<SlaveMemory> slaves;
};

[[nodiscard]] MemoryReport memory_report(const ResolvedPlan& resolved);

// "%MW108..%MW199 (92)": a free range with its length in words or bits.
[[nodiscard]] std::string free_text(const ResolvedPlan& resolved, std::size_t controller,
                                    const BitRange& bits);

}  // namespace greymet::model
