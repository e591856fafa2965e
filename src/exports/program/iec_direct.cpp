#include "iec_direct.h"

#include <algorithm>

#include <fmt/format.h>

namespace greymet::exports {

using model::BitRange;
using model::bits_per_word;

namespace {

using Sent = std::vector<std::pair<BitRange, unsigned>>;

bool in_whole_words(const BitRange& bits) {
  return bits.first % bits_per_word == 0 && bits.end % bits_per_word == 0;
}

// Neighbours of whole words as one.
Sent joined(Sent sent) {
  std::sort(sent.begin(), sent.end());
  Sent out;
  for (const auto& [bits, kept] : sent) {
    if (kept == 0 && in_whole_words(bits) && !out.empty() && out.back().second == 0 &&
        out.back().first.end == bits.first && in_whole_words(out.back().first)) {
      out.back().first.end = bits.end;
    } else {
      out.emplace_back(bits, kept);
    }
  }
  return out;
}

}  // namespace

IecDirect::IecDirect(const model::ResolvedPlan& plan, const IecMaps& maps, IecMemory& memory,
                     model::UniqueNames& names)
    : plan_(plan), maps_(maps), memory_(memory), names_(names) {
  // each slave has its names, whatever of it is moved: they stay when rows come and go
  for (const model::Slave& slave : plan.plan.slaves) {
    values_.push_back(names.take(iec_name(slave.name)));
  }
  for (const model::Slave& slave : plan.plan.slaves) {
    settings_.push_back(names.take(iec_name(slave.name + "_set")));
  }
}

std::optional<std::string> IecDirect::add(const model::PointRow& row, const DirectValue& value,
                                          std::optional<model::WordOrder> order, unsigned kept) {
  const model::Point& point = *value.point;
  if (!row.is_read && !maps_.of(value.slave)->writes(&point)) {
    return "another value of its map that is written takes some of its bits";
  }
  const bool of_words = is_multi_register(point.type);
  if (of_words && !order) return "the plan states no word order";
  Group& group = groups_[{value.transaction->transaction, row.is_read}];
  group.first = value;
  const bool told = point.word_order && !row.swap;
  if (of_words && !told) group.order = order;
  if (point.type.kind == model::TypeKind::text && !told && !group.order) group.order = order;
  group.parts.emplace_back(row.memory, kept);
  return std::nullopt;
}

const std::string& IecDirect::instance_of(const DirectValue& value, IecBlockKind kind) {
  const model::Area area = value.block->area;
  auto& name = instances_[{value.slave, area, kind}];
  if (name.empty()) {
    const char* verb = kind == IecBlockKind::read    ? "read"
                       : kind == IecBlockKind::clear ? "clear"
                                                     : "write";
    name = names_.take(fmt::format("{}_{}_{}", verb, values_[value.slave], short_name(area)));
    blocks_.push_back(iec_variable(name, maps_.of(value.slave)->block_name(area, kind)));
  }
  return name;
}

std::string IecDirect::call_text(const Group& group, IecBlockKind kind) {
  const DirectValue& value = group.first;
  const bool bits = is_bit_area(value.block->area);
  const bool is_read = kind != IecBlockKind::write;
  used_.emplace(value.slave, is_read);
  std::string text = fmt::format("    {}(first := {}, count := {}", instance_of(value, kind),
                                 value.block->offset, value.block->quantity);
  if (!bits && kind != IecBlockKind::clear) {
    const auto& swap = is_read ? value.transaction->read_swap : value.transaction->write_swap;
    text += fmt::format(", order := {}, brought := {}",
                        group.order ? order_number(*group.order) : "0", swap ? "TRUE" : "FALSE");
  }
  if (kind != IecBlockKind::clear) text += bits ? ", bits := bits" : ", words := words";
  return text + fmt::format(", {} := {});\n", is_read ? "values" : "settings",
                            is_read ? values_[value.slave] : settings_[value.slave]);
}

std::string IecDirect::bits_text(const Group& group, bool into_memory) {
  std::string text;
  const BitRange& block = group.first.memory->bits;
  for (const auto& [part, kept] : group.parts) {
    for (std::uint64_t at = part.first; at < part.end; ++at) {
      const RawPlace place = memory_.place({part.store, at, at + 1});
      const std::string held = fmt::format("bits[{}]", at - block.first);
      text += into_memory ? place.set_text(held, "    ")
                          : fmt::format("    {} := {};\n", held, place.condition());
    }
  }
  uses_bits_ = true;
  return text;
}

std::string IecDirect::reading_text(std::size_t transaction, const std::string& flag) {
  const Group& group = groups_.at({transaction, true});
  const DirectValue& value = group.first;
  const bool bits = is_bit_area(value.block->area);
  uses_words_ |= !bits;
  std::string text =
      (bits ? bits_text(group, false) : memory_.load_words(value.memory->bits, "    ")) +
      call_text(group, IecBlockKind::read);
  if (!bits) {
    text += fmt::format("    {} := {}.no_number;\n", flag, instance_of(value, IecBlockKind::read));
  }
  return text;
}

std::string IecDirect::clearing_text(std::size_t transaction) {
  return call_text(groups_.at({transaction, true}), IecBlockKind::clear);
}

std::string IecDirect::sending_text(std::size_t transaction) {
  const auto found = groups_.find({transaction, false});
  if (found == groups_.end()) return {};
  const Group& group = found->second;
  const BitRange& block = group.first.memory->bits;
  const std::string call = call_text(group, IecBlockKind::write);
  if (is_bit_area(group.first.block->area)) {
    return bits_text(group, false) + call + bits_text(group, true);
  }
  uses_words_ = true;
  std::string text = memory_.load_words(block, "    ") + call;
  for (const auto& [bits, kept] : joined(group.parts)) {
    text += memory_.store_words(bits, block, kept, "    ");
  }
  return text;
}

std::vector<IecVariable> IecDirect::own() const {
  std::vector<IecVariable> out = blocks_;
  if (uses_bits_) out.push_back(iec_array("bits", "BOOL", most_bits_of_block));
  return out;
}

void IecDirect::add_to(std::vector<IecVariable>& globals) const {
  for (const auto& [slave, is_read] : used_) {
    const std::string& name = plan_.plan.slaves[slave].name;
    const IecMap& map = *maps_.of(slave);
    globals.push_back(
        is_read ? iec_variable(values_[slave], map.values_type(), "read of " + name)
                : iec_variable(settings_[slave], map.settings_type(), "to be set: for " + name));
  }
}

std::set<std::size_t> IecDirect::used_maps() const {
  std::set<std::size_t> out;
  for (const auto& [slave, is_read] : used_) out.insert(*plan_.plan.slaves[slave].map);
  return out;
}

}  // namespace greymet::exports
