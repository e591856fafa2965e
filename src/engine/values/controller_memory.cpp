#include "engine/controller_memory.h"

#include <algorithm>

#include "model/controller.h"

namespace greymet::engine {

using model::bits_per_word;

ControllerMemory::ControllerMemory(const model::MemoryLayout& layout) : layout_(&layout) {
  for (const model::MemoryArea& area : layout.controller().memory) {
    const auto count = static_cast<std::uint64_t>(std::max<std::int64_t>(0, area.count));
    const std::uint64_t words = area.inside                            ? 0
                                : area.kind == model::MemoryKind::word ? count
                                                                       : count / bits_per_word + 1;
    stores_.push_back({std::vector<std::uint16_t>(words, 0), std::vector<std::uint16_t>(words, 0)});
  }
}

BitSequence bits_of(const model::MemoryLayout& layout, const model::MemoryRange& range) {
  const model::MemoryArea& area = layout.controller().memory[range.area];
  BitSequence out{range.bits.store, range.bits.first, static_cast<std::uint64_t>(range.count),
                  bits_per_word};
  if (range.bit) {
    out.count = 1;
  } else if (area.kind == model::MemoryKind::word) {
    out.count *= bits_per_word;
  } else if (range.bits.store != range.area) {
    out.width = static_cast<std::uint64_t>(area.width);
  }
  return out;
}

bool ControllerMemory::bit(std::size_t store, std::uint64_t position) const {
  const auto& values = stores_[store].values;
  const std::uint64_t word = position / bits_per_word;
  return word < values.size() && (values[word] >> (position % bits_per_word) & 1) != 0;
}

bool ControllerMemory::known(const BitSequence& bits) const {
  const auto& known = stores_[bits.store].known;
  for (std::uint64_t k = 0; k < bits.count; ++k) {
    const std::uint64_t at = bits.position(k);
    const std::uint64_t word = at / bits_per_word;
    if (word >= known.size() || (known[word] >> (at % bits_per_word) & 1) == 0) return false;
  }
  return true;
}

void ControllerMemory::set_bit(std::size_t store, std::uint64_t position, bool value) {
  Store& to = stores_[store];
  const std::uint64_t word = position / bits_per_word;
  if (word >= to.values.size()) return;
  const auto mask = static_cast<std::uint16_t>(1U << (position % bits_per_word));
  const std::uint16_t before = to.values[word];
  const std::uint16_t known = to.known[word];
  to.values[word] = static_cast<std::uint16_t>(value ? before | mask : before & ~mask);
  to.known[word] = known | mask;
  if (to.values[word] != before || to.known[word] != known) ++revision_;
}

std::vector<std::uint16_t> ControllerMemory::registers(const BitSequence& bits,
                                                       std::size_t count) const {
  std::vector<std::uint16_t> out(count, 0);
  if (bits.is_words()) {
    const auto& values = stores_[bits.store].values;
    const std::uint64_t first = bits.first / bits_per_word;
    for (std::size_t i = 0; i < count && i < bits.count / bits_per_word; ++i) {
      if (first + i < values.size()) out[i] = values[first + i];
    }
    return out;
  }
  for (std::uint64_t k = 0; k < bits.count && k < count * bits_per_word; ++k) {
    if (bit(bits.store, bits.position(k))) {
      out[k / bits_per_word] |= static_cast<std::uint16_t>(1U << (k % bits_per_word));
    }
  }
  return out;
}

std::vector<bool> ControllerMemory::bits(const BitSequence& bits, std::size_t count) const {
  std::vector<bool> out(count, false);
  for (std::uint64_t k = 0; k < bits.count && k < count; ++k) {
    out[k] = bit(bits.store, bits.position(k));
  }
  return out;
}

void ControllerMemory::put_registers(const BitSequence& bits,
                                     const std::vector<std::uint16_t>& values) {
  if (!bits.is_words()) {
    for (std::uint64_t k = 0; k < bits.count && k < values.size() * bits_per_word; ++k) {
      set_bit(bits.store, bits.position(k),
              (values[k / bits_per_word] >> (k % bits_per_word) & 1) != 0);
    }
    return;
  }
  Store& to = stores_[bits.store];
  const std::uint64_t first = bits.first / bits_per_word;
  for (std::size_t i = 0; i < values.size() && i < bits.count / bits_per_word; ++i) {
    if (first + i >= to.values.size()) break;
    if (to.values[first + i] == values[i] && to.known[first + i] == 0xFFFF) continue;
    to.values[first + i] = values[i];
    to.known[first + i] = 0xFFFF;
    ++revision_;
  }
}

void ControllerMemory::put_bits(const BitSequence& bits, const std::vector<bool>& values) {
  for (std::uint64_t k = 0; k < bits.count && k < values.size(); ++k) {
    set_bit(bits.store, bits.position(k), values[k]);
  }
}

void ControllerMemory::copy(const BitSequence& from, const BitSequence& to) {
  if (from.is_words() && to.is_words()) return copy_words(from, to);
  for (std::uint64_t k = 0; k < from.count && k < to.count; ++k) {
    const BitSequence one{from.store, from.position(k), 1, bits_per_word};
    if (known(one)) set_bit(to.store, to.position(k), bit(from.store, one.first));
  }
}

void ControllerMemory::copy_words(const BitSequence& from, const BitSequence& to) {
  const Store& source = stores_[from.store];
  Store& target = stores_[to.store];
  const std::uint64_t count = std::min(from.count, to.count) / bits_per_word;
  for (std::uint64_t i = 0; i < count; ++i) {
    const std::uint64_t a = from.first / bits_per_word + i;
    const std::uint64_t b = to.first / bits_per_word + i;
    if (a >= source.values.size() || b >= target.values.size()) return;
    const unsigned known = source.known[a];
    const auto value =
        static_cast<std::uint16_t>((target.values[b] & ~known) | (source.values[a] & known));
    const auto now_known = static_cast<std::uint16_t>(target.known[b] | known);
    if (value == target.values[b] && now_known == target.known[b]) continue;
    target.values[b] = value;
    target.known[b] = now_known;
    ++revision_;
  }
}

}  // namespace greymet::engine
