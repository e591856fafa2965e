#include "mapped_blocks.h"

#include "common/rule_text.h"
#include "model/resolved_plan.h"

namespace greymet::checks::internal {

namespace {

void collect(const ResolvedPlan& plan, std::size_t index, WrongHalves wrong, MappedBlocks& out) {
  const ResolvedTransaction& t = plan.transactions[index];
  if (!t.target || t.target->is_peer) return;
  const RegisterMap* map = plan.map_of(*t.target);
  for (const bool is_read : {true, false}) {
    const auto& block = is_read ? t.read : t.write;
    if (!block || wrong.of(is_read)) continue;
    if (is_read) {
      out.read_by_anyone[{t.target->index, block->area}].add(block->extent());
      if (t.controller) {
        out.read_by_one[{t.target->index, block->area, *t.controller}].add(block->extent());
      }
    }
    if (map == nullptr || map->points().empty()) continue;
    // what stands in a row that could not be read may explain what looks wrong here
    const model::Extent around{block->offset > 0 ? block->offset - 1 : 0, block->extent().end + 1};
    if (map->may_hide(block->area, around)) continue;
    out.blocks.push_back({index, is_read, &*block, map, &plan.plan.slaves[t.target->index],
                          &plan.exchange.slaves[t.target->index], t.target->index});
  }
}

// One request of this master reads all of the value.
bool read_whole(const ResolvedPlan& plan, const MappedBlocks& mapped, const Point& point,
                std::size_t controller, std::size_t slave) {
  const Extent value = extent_of(point);
  return std::any_of(mapped.blocks.begin(), mapped.blocks.end(), [&](const MappedBlock& b) {
    const Extent block = b.block->extent();
    return b.is_read && b.slave_index == slave && b.block->area == point.address.area &&
           plan.transactions[b.transaction].controller == controller &&
           block.first <= value.first && value.end <= block.end;
  });
}

// How the two blocks are written when the lower one reads all of the value.
std::string whole_read_text(const ResolvedPlan& plan, const MappedBlock& a, const MappedBlock& b,
                            const Extent& value) {
  const bool in_order = a.block->offset <= b.block->offset;
  const MappedBlock& lower = in_order ? a : b;
  const MappedBlock& upper = in_order ? b : a;
  std::string text = fmt::format("write count = {} at {}", value.end - lower.block->offset,
                                 subject_of_block(plan, lower));
  const std::uint32_t end = upper.block->extent().end;
  if (end <= value.end) {
    return text + fmt::format("; {} is then not needed", subject_of_block(plan, upper));
  }
  return text + fmt::format(", and at = {}, count = {} at {}",
                            at_text(*upper.block, value.end, numbering_of(upper)), end - value.end,
                            subject_of_block(plan, upper));
}

}  // namespace

bool MappedBlocks::reads_anywhere(std::size_t slave, Area area, Extent wanted) const {
  const auto at = read_by_anyone.find({slave, area});
  return at != read_by_anyone.end() && at->second.covers(wanted);
}

MappedBlocks mapped_blocks(const RuleInput& in) {
  MappedBlocks out;
  for (std::size_t i = 0; i < in.plan.transactions.size(); ++i) {
    collect(in.plan, i, in.range_is_wrong[i], out);
  }
  std::erase_if(out.blocks,
                [&](const MappedBlock& b) { return !in.better_maps[b.slave_index].empty(); });
  for (auto& [key, coverage] : out.read_by_anyone) coverage.finish();
  for (auto& [key, coverage] : out.read_by_one) coverage.finish();
  return out;
}

model::Subject subject_of_block(const ResolvedPlan& plan, const MappedBlock& b) {
  return subject_of(plan.declared(plan.transactions[b.transaction]));
}

model::Numbering numbering_of(const MappedBlock& b) {
  return b.effective->numbering;
}

std::vector<const Point*> cut_points(const MappedBlock& b) {
  std::vector<const Point*> cut;
  const Extent block = b.block->extent();
  for (const Extent edge :
       {Extent{block.first, block.first + 1}, Extent{block.end - 1, block.end}}) {
    for (const Point* point : b.map->points_touching(b.block->area, edge)) {
      const Extent value = extent_of(*point);
      const bool inside = value.first >= block.first && value.end <= block.end;
      if (!inside && std::find(cut.begin(), cut.end(), point) == cut.end()) cut.push_back(point);
    }
  }
  return cut;
}

TornValues report_torn_values(const ResolvedPlan& plan, const MappedBlocks& mapped, Findings& out) {
  TornValues torn;
  std::map<std::tuple<const Point*, std::size_t, std::size_t>, std::vector<const MappedBlock*>>
      parts;
  for (const MappedBlock& b : mapped.blocks) {
    const auto& controller = plan.transactions[b.transaction].controller;
    if (!b.is_read || !controller) continue;
    for (const Point* point : cut_points(b))
      parts[{point, *controller, b.slave_index}].push_back(&b);
  }
  for (const auto& [key, blocks] : parts) {
    const auto& [point, controller, slave] = key;
    if (blocks.size() < 2) continue;
    const auto coverage = mapped.read_by_one.find({slave, point->address.area, controller});
    if (coverage == mapped.read_by_one.end() || !coverage->second.covers(extent_of(*point))) {
      continue;
    }
    if (read_whole(plan, mapped, *point, controller, slave)) continue;  // only the cuts are wrong
    for (const MappedBlock* b : blocks) torn.insert({b->transaction, point});
    const MappedBlock& second = *blocks.back();
    report(out, RuleCode::M09, Severity::warning, second.block->at_place,
           subject_of_block(plan, second),
           fmt::format("'{}' ({}) is fetched in two parts, by this and by {}: between the two it "
                       "may change",
                       point->name, range_text(point->address.area, extent_of(*point)),
                       subject_of_block(plan, *blocks.front())),
           whole_read_text(plan, *blocks.front(), second, extent_of(*point)),
           {{blocks.front()->block->at_place, "the other part is read here"}});
  }
  return torn;
}

}  // namespace greymet::checks::internal
