// Blocks of transactions beside the register maps of their slaves: what F09 to F13 and M09 share.
// Not for use outside this folder.
#pragma once

#include <algorithm>
#include <map>
#include <set>
#include <string>
#include <tuple>
#include <utility>
#include <vector>

#include "checks/rules.h"
#include "common/words.h"
#include "model/resolved_plan.h"

namespace greymet::checks::internal {

// A block that can be held against a map.
struct MappedBlock {
  std::size_t transaction = 0;
  bool is_read = true;
  const model::DeviceBlock* block = nullptr;
  const model::RegisterMap* map = nullptr;
  const model::Slave* slave = nullptr;
  const model::ExchangeSlave* effective = nullptr;  // of the same slave
  std::size_t slave_index = 0;
};

// Registers of one slave and area that anybody reads, as disjoint sorted runs.
class ReadCoverage {
 public:
  void add(Extent extent) { extents_.push_back(extent); }
  void finish() {
    std::sort(extents_.begin(), extents_.end(),
              [](const Extent& a, const Extent& b) { return a.first < b.first; });
    std::vector<Extent> merged;
    for (const Extent& e : extents_) {
      if (!merged.empty() && e.first <= merged.back().end) {
        merged.back().end = std::max(merged.back().end, e.end);
      } else {
        merged.push_back(e);
      }
    }
    extents_ = std::move(merged);
  }
  [[nodiscard]] bool covers(Extent wanted) const {
    const auto it =
        std::upper_bound(extents_.begin(), extents_.end(), wanted.first,
                         [](std::uint32_t value, const Extent& e) { return value < e.end; });
    return it != extents_.end() && it->first <= wanted.first && it->end >= wanted.end;
  }

 private:
  std::vector<Extent> extents_;
};

// All blocks of a plan that have a map, and who reads what.
struct MappedBlocks {
  std::vector<MappedBlock> blocks;
  std::map<std::pair<std::size_t, Area>, ReadCoverage> read_by_anyone;             // slave
  std::map<std::tuple<std::size_t, Area, std::size_t>, ReadCoverage> read_by_one;  // and master

  [[nodiscard]] bool reads_anywhere(std::size_t slave, Area area, Extent wanted) const;
};

// Transactions whose range is wrong by itself are left out.
[[nodiscard]] MappedBlocks mapped_blocks(const RuleInput& in);

// Values of several registers that stick out of the block at its edges.
[[nodiscard]] std::vector<const model::Point*> cut_points(const MappedBlock& b);

[[nodiscard]] model::Subject subject_of_block(const model::ResolvedPlan& plan,
                                              const MappedBlock& b);
[[nodiscard]] model::Numbering numbering_of(const MappedBlock& b);

// Per transaction: values that M09 has spoken about.
using TornValues = std::set<std::pair<std::size_t, const model::Point*>>;

// M09: parts of one value fetched by two requests of one master. What it returns is not to be
// reported as cut again.
[[nodiscard]] TornValues report_torn_values(const model::ResolvedPlan& plan,
                                            const MappedBlocks& mapped, model::Findings& out);

}  // namespace greymet::checks::internal
