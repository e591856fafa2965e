// The memory of one controller while an exchange runs: values, and whether anybody stated them.
//
// A bit is known once a value was stated for it, or a read, a copy, a heartbeat or a peer brought
// one. What is not known reads as 0; whoever sends to real devices asks first. One thread.
#pragma once

#include <cstdint>
#include <vector>

#include "model/memory_layout.h"

namespace greymet::engine {

// The bits of a range in the order in which a block carries them.
struct BitSequence {
  std::size_t store = 0;
  std::uint64_t first = 0;
  std::uint64_t count = 0;
  std::uint64_t width = model::bits_per_word;  // bits used of each word

  [[nodiscard]] std::uint64_t position(std::uint64_t k) const {
    const std::uint64_t in_words = first % model::bits_per_word + k;
    return (first / model::bits_per_word + in_words / width) * model::bits_per_word +
           in_words % width;
  }
  // Whole words without a gap.
  [[nodiscard]] bool is_words() const {
    return width == model::bits_per_word && first % model::bits_per_word == 0 &&
           count % model::bits_per_word == 0;
  }
};

// The bits that a range of this controller means.
[[nodiscard]] BitSequence bits_of(const model::MemoryLayout& layout,
                                  const model::MemoryRange& range);

// All of one controller: a store for each area that lies in no other.
class ControllerMemory {
 public:
  // Keeps a pointer: the layout must outlive it. All is 0 and unknown.
  explicit ControllerMemory(const model::MemoryLayout& layout);

  [[nodiscard]] BitSequence sequence(const model::MemoryRange& range) const {
    return bits_of(*layout_, range);
  }

  [[nodiscard]] bool bit(std::size_t store, std::uint64_t position) const;
  [[nodiscard]] bool known(const BitSequence& bits) const;
  void set_bit(std::size_t store, std::uint64_t position, bool value);

  // Registers of 16 bits each, or single bits, in the order of the sequence; what the sequence is
  // longer or shorter than is left alone, or reads as 0.
  [[nodiscard]] std::vector<std::uint16_t> registers(const BitSequence& bits,
                                                     std::size_t count) const;
  [[nodiscard]] std::vector<bool> bits(const BitSequence& bits, std::size_t count) const;
  void put_registers(const BitSequence& bits, const std::vector<std::uint16_t>& values);
  void put_bits(const BitSequence& bits, const std::vector<bool>& values);
  // Both as long as the shorter one; what is not known stays so.
  void copy(const BitSequence& from, const BitSequence& to);

  // Grows with every change of a value or of what is known.
  [[nodiscard]] std::uint64_t revision() const { return revision_; }
  [[nodiscard]] const model::MemoryLayout& layout() const { return *layout_; }

 private:
  void copy_words(const BitSequence& from, const BitSequence& to);
  struct Store {
    std::vector<std::uint16_t> values;
    std::vector<std::uint16_t> known;
  };
  const model::MemoryLayout* layout_;
  std::vector<Store> stores_;  // per area; empty for areas inside another
  std::uint64_t revision_ = 0;
};

}  // namespace greymet::engine
