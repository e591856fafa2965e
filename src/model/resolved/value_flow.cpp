#include "model/value_flow.h"

#include <algorithm>
#include <utility>

#include "model/resolved_plan.h"

namespace greymet::model {
namespace {

ValuePlace in_slave(std::size_t slave, const DeviceBlock& block) {
  const std::uint64_t width = is_bit_area(block.area) ? 1 : bits_per_word;
  const std::uint64_t first = block.offset * width;
  return slave_place(slave, block.area, {0, first, first + block.quantity * width});
}

// What the target of the transaction keeps behind these registers.
std::optional<ValuePlace> behind(const ResolvedPlan& plan, const Target& target,
                                 const DeviceBlock& block) {
  if (!target.is_peer) return in_slave(target.index, block);
  const auto memory = plan.layouts[target.index].serving(block.area, block.offset, block.quantity);
  if (!memory) return std::nullopt;
  return memory_place(target.index, memory->bits);
}

}  // namespace

ValuePlace memory_place(std::size_t controller, const BitRange& bits) {
  return {true, controller, Area::holding_register, bits};
}

ValuePlace slave_place(std::size_t slave, Area area, const BitRange& bits) {
  return {false, slave, area, bits};
}

ValuePlace point_place(std::size_t slave, const Point& point) {
  const Extent extent = extent_of(point);
  const std::uint64_t width = is_bit_area(point.address.area) ? 1 : bits_per_word;
  BitRange bits{0, extent.first * width, extent.end * width};
  if (point.bit) bits = {0, bits.first + *point.bit, bits.first + *point.bit + 1};
  return slave_place(slave, point.address.area, bits);
}

bool inside(const ValuePlace& part, const ValuePlace& whole) {
  return part.at_controller == whole.at_controller && part.owner == whole.owner &&
         part.area == whole.area && part.bits.store == whole.bits.store &&
         whole.bits.first <= part.bits.first && part.bits.end <= whole.bits.end;
}

ValueFlow::Store ValueFlow::store_of(const ValuePlace& place) {
  return {place.at_controller, place.owner, place.area, place.bits.store};
}

void ValueFlow::add(const ValuePlace& from, const ValueMove& move) {
  movers_[store_of(from)].list.push_back({from, move});
}

ValueFlow::ValueFlow(const ResolvedPlan& plan) {
  for (std::size_t i = 0; i < plan.copies.size(); ++i) {
    const ResolvedCopy& copy = plan.copies[i];
    if (!copy.controller || !copy.from || !copy.to) continue;
    const std::size_t own = *copy.controller;
    add(memory_place(own, copy.from->bits),
        {MoveKind::copy, i, own, own, true, memory_place(own, copy.to->bits)});
  }
  for (std::size_t i = 0; i < plan.transactions.size(); ++i) {
    const ResolvedTransaction& t = plan.transactions[i];
    if (!t.controller || !t.target) continue;
    const std::size_t own = *t.controller;
    // a mask write moves no value: it changes bits of what is there
    if (t.write && t.from && t.function != FunctionCode::mask_write_register) {
      add(memory_place(own, t.from->bits), {MoveKind::write, i, own, t.target->index,
                                            t.target->is_peer, behind(plan, *t.target, *t.write)});
    }
    if (!t.read) continue;
    if (const auto source = behind(plan, *t.target, *t.read)) {
      std::optional<ValuePlace> into;
      if (t.into) into = memory_place(own, t.into->bits);
      add(*source, {MoveKind::read, i, own, own, true, into});
    }
  }
  for (auto& [store, movers] : movers_) {
    std::vector<BitRange> sources;
    sources.reserve(movers.list.size());
    for (const Mover& mover : movers.list) sources.push_back(mover.from.bits);
    movers.sources = BitIndex(sources);
  }
}

std::vector<ValueMove> ValueFlow::moves_of(const ValuePlace& from) const {
  std::vector<ValueMove> moves;
  const auto found = movers_.find(store_of(from));
  if (found == movers_.end()) return moves;
  for (const std::size_t place : found->second.sources.overlapping(from.bits)) {
    const Mover& mover = found->second.list[place];
    if (!inside(from, mover.from)) continue;
    ValueMove move = mover.move;
    if (move.to) {
      const BitRange whole = move.to->bits;
      BitRange& bits = move.to->bits;
      bits.first += from.bits.first - mover.from.bits.first;
      bits.end = bits.first + (from.bits.end - from.bits.first);
      // a block of bits may end within a word that is not filled
      if (bits.end > whole.end) continue;
    }
    moves.push_back(move);
  }
  const auto rank = [](MoveKind kind) {
    return kind == MoveKind::copy ? 0 : kind == MoveKind::write ? 1 : 2;
  };
  std::sort(moves.begin(), moves.end(), [&](const ValueMove& a, const ValueMove& b) {
    return std::pair(rank(a.kind), a.index) < std::pair(rank(b.kind), b.index);
  });
  return moves;
}

}  // namespace greymet::model
