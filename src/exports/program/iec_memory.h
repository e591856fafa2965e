// The memory of a controller in its program: one variable for each word or bit, whatever number of
// values lies in it. Not for use outside this folder.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "iec_program.h"
#include "iec_values.h"
#include "model/identifier.h"
#include "model/resolved_plan.h"

namespace greymet::exports {

// Names the words and bits that a program touches, and declares them at its end. A word area is one
// array, indexed by its own numbers: %MW205 is `mem_MW[205]`. A bit area that has direct addresses
// is a variable a bit, as the bits of an array take a byte each in most systems; one that has none
// is an array. Areas without direct addresses (IEC 61131-3, 2.4.1.1) lie nowhere: somebody has to
// bring them in and out.
class IecMemory {
 public:
  // Keeps references to both.
  IecMemory(const model::MemoryLayout& layout, model::UniqueNames& names);

  // How the words of a value, or its bit, are named.
  [[nodiscard]] RawPlace place(const model::BitRange& bits);
  // Statements that bring `bits` into `words[0]` and those behind it; a bit area 16 bits to a word.
  [[nodiscard]] std::string load_words(const model::BitRange& bits, const std::string& indent);
  // Statements that take what `value` means out of `words`, which hold `block`, into memory, and
  // leave alone the bits of `kept` of a single word.
  [[nodiscard]] std::string store_words(const model::BitRange& value, const model::BitRange& block,
                                        unsigned kept, const std::string& indent);
  // Statements that make all of it 0.
  [[nodiscard]] std::string clear(const model::BitRange& bits, const std::string& indent);
  // Statements that copy the one onto the other, of the same size.
  [[nodiscard]] std::string copy(const model::BitRange& from, const model::BitRange& to,
                                 const std::string& indent);

  [[nodiscard]] bool of_bits(const model::BitRange& bits) const;
  // All that was named so far, to be declared global.
  [[nodiscard]] std::vector<IecVariable> variables() const;
  // Whether some of it has no direct address: "%D: D0..D99".
  [[nodiscard]] std::vector<std::string> unlocated() const;
  [[nodiscard]] bool has_located_bits() const { return !located_bits_.empty(); }

 private:
  struct Touched {
    std::uint64_t first = 0;
    std::uint64_t end = 0;  // words, or bits of a bit area
  };
  [[nodiscard]] std::string word(std::size_t store, std::uint64_t index);
  [[nodiscard]] std::string bit(std::size_t store, std::uint64_t position);
  void touch(std::size_t store, std::uint64_t at);
  [[nodiscard]] bool in_words(const model::BitRange& bits) const;
  [[nodiscard]] std::string loop(std::size_t store, std::uint64_t first, std::uint64_t count,
                                 bool from_memory, std::uint64_t buffer, const std::string& indent);

  const model::MemoryLayout& layout_;
  model::UniqueNames& names_;
  std::vector<std::string> arrays_;  // per area
  std::map<std::size_t, Touched> touched_;
  std::map<std::pair<std::size_t, std::uint64_t>, std::string> located_bits_;
};

}  // namespace greymet::exports
