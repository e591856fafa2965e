// Values that lie some words away from their tags, gathered by the step that brings or sends them:
// where a whole block is shifted, one finding says so. Not for use outside this folder.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <tuple>
#include <utility>
#include <vector>

#include "model/finding.h"
#include "model/resolved_plan.h"

namespace greymet::checks::internal {

// The copy that fills the whole tag, into ResolvedPlan::copies.
[[nodiscard]] std::optional<std::size_t> copy_onto(const model::ResolvedPlan& plan,
                                                   const model::ResolvedTag& tag);
// Where that copy takes the tag's bits from.
[[nodiscard]] model::BitRange source_of(const model::ResolvedCopy& copy,
                                        const model::ResolvedTag& tag);

// One tag whose value lies elsewhere.
struct Shift {
  std::size_t tag = 0;    // into ResolvedPlan::tags
  bool is_from = true;    // it should come from there; else it should be sent
  model::ValueMove by;    // the step that brings it into the tag's controller, or sends it
  model::BitRange there;  // where the value lies in the tag's controller
  std::vector<model::Concern> concerns;
};

// Gathers the tags of one check. Keeps a reference to the plan.
class ShiftedBlocks {
 public:
  explicit ShiftedBlocks(const model::ResolvedPlan& plan);

  void add(Shift shift);
  // A tag of this step in that controller gets its value: the block as a whole is not shifted.
  void exact(const model::ValueMove& by, std::size_t controller, bool is_from);

  [[nodiscard]] bool is_exact(const model::ValueMove& by, std::size_t controller,
                              bool is_from) const;

  // Reports the blocks of which two tags or more agree about the shift and none contradicts; the
  // others are lone(). Returns the tags that get nothing so, each with the finding that says it.
  [[nodiscard]] std::vector<std::pair<std::size_t, std::size_t>> report(model::Findings& out);
  [[nodiscard]] const std::vector<Shift>& lone() const { return lone_; }
  // Tags that get nothing because such a block begins at the wrong register.
  [[nodiscard]] const std::vector<std::size_t>& explained() const { return explained_; }

  // The cure that moves the block in memory so that the tag gets its value; nothing where it
  // cannot be written as one key.
  [[nodiscard]] std::optional<model::Fix> move_block(const Shift& shift) const;

 private:
  using Key = std::tuple<model::MoveKind, std::size_t, std::size_t, bool>;
  struct Group {
    std::vector<Shift> shifts;
    std::vector<Shift> copied;  // what a copy fills: its value has to lie where that takes it from
    bool has_exact = false;
  };
  static Key key_of(const model::ValueMove& by, std::size_t controller, bool is_from) {
    return {by.kind, by.index, controller, is_from};
  }
  // By how many bits the value lies too far.
  [[nodiscard]] std::optional<std::int64_t> distance(const Shift& shift) const;
  [[nodiscard]] bool one_shift(const Group& group) const;
  void report_block(const Group& group, model::Findings& out);
  [[nodiscard]] std::optional<model::Fix> move_registers(const Group& group) const;
  // Tags that get nothing now and would get their value if the block began elsewhere.
  [[nodiscard]] std::vector<std::size_t> would_bring(const Group& group,
                                                     std::int64_t registers) const;

  const model::ResolvedPlan& plan_;
  std::map<Key, Group> groups_;
  std::vector<Shift> lone_;
  std::vector<std::size_t> explained_;
  std::vector<std::vector<std::size_t>> tags_of_slave_;  // with `from`
};

}  // namespace greymet::checks::internal
