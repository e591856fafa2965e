// Values that nothing brings or sends, gathered by where they would lie: what one request would
// carry is one cause, and where a request of other registers has its place that request is (V09).
// Not for use outside this folder.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <tuple>
#include <vector>

#include "model/finding.h"
#include "model/resolved_plan.h"
#include "shifted_blocks.h"

namespace greymet::checks::internal {

// Gathers the tags of one check. Keeps a reference to the plan.
class LostBlocks {
 public:
  explicit LostBlocks(const model::ResolvedPlan& plan) : plan_(plan) {}

  // Nothing brings (or sends) this tag's value, and this finding says so: its index. A tag whose
  // other end is a tag of another controller is left alone.
  void add(std::size_t tag, bool is_from, std::size_t finding);

  // Marks the findings that have one cause (Finding::about), and reports requests that take the
  // place of the one that is missing. `blocks` knows which requests serve a tag.
  void report(const ShiftedBlocks& blocks, model::Findings& out) const;

 private:
  struct Lost {
    std::size_t tag = 0;
    std::size_t finding = 0;
  };
  // Controller, brought or sent, slave, area, store, and how many bits lie between the place in the
  // slave's area and the one in memory: one request carries all of them.
  using Key = std::tuple<std::size_t, bool, std::size_t, model::Area, std::size_t, std::int64_t>;
  using Group = std::vector<Lost>;

  // A request with its memory there, and which of the tags lie in it if it asks for what they take.
  struct Instead {
    std::size_t transaction = 0;
    std::uint32_t first = 0;  // where it would have to begin
    Group tags;
  };
  [[nodiscard]] std::optional<Instead> instead_of(const Key& key, const Group& group,
                                                  const ShiftedBlocks& blocks) const;
  void report_instead(const Key& key, const Instead& instead, model::Findings& out) const;
  [[nodiscard]] std::vector<model::KeyText> keys_of(const Key& key, const Instead& instead) const;
  [[nodiscard]] const model::TagEnd& end_of(const Key& key, const Lost& lost) const;
  // "hr:100..hr:119"
  [[nodiscard]] std::string registers_of(const Key& key, const Group& group) const;

  const model::ResolvedPlan& plan_;
  std::map<Key, Group> groups_;
};

}  // namespace greymet::checks::internal
