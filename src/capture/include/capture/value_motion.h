// How registers were seen to move, and what they are likely to hold. Nothing on a wire names a
// type; but two registers of which one carries into the other are one quantity, and whether they
// are is a matter of counting.
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <vector>

namespace greymet::capture {

// How one register, or bit, was seen to move. A step is from one sample to the next.
struct SeenWord {
  std::uint16_t least = 0xFFFF;
  std::uint16_t greatest = 0;
  std::uint16_t last = 0;
  std::int16_t least_signed = INT16_MAX;  // read as a signed number
  std::int16_t greatest_signed = INT16_MIN;
  std::uint16_t sixteenths = 0;  // bit n: it was in the n-th sixteenth of its range
  std::uint64_t samples = 0;
  std::uint64_t rises = 0;
  std::uint64_t drops = 0;
  std::uint64_t below_zero = 0;  // steps from 0..3FFF to C000..FFFF
  std::uint64_t above_zero = 0;  // and back

  [[nodiscard]] std::uint64_t changes() const { return rises + drops; }
  void add(std::uint16_t value);
};

// Two neighbours as one quantity of 32 bits, one of them as its high word.
struct SeenPair {
  // Steps in which the high word went up, or down, by one; and those of them in which the low word
  // went the other way, as it does where it overflows.
  std::uint64_t up = 0;
  std::uint64_t up_with_carry = 0;
  std::uint64_t down = 0;
  std::uint64_t down_with_carry = 0;
  // How far the whole moved in these steps, and in those in which the high word stayed, in all.
  double up_size = 0;
  double down_size = 0;
  std::uint64_t stays = 0;
  double stays_size = 0;
  std::uint64_t rises = 0;  // of the whole
  std::uint64_t drops = 0;
  bool always_a_usual_float = true;  // 0, or from 0.00001 to 10^8
  float least = 0;                   // read as a float
  float greatest = 0;

  void add(std::uint16_t high, std::uint16_t low);

 private:
  bool seen_ = false;
  std::uint16_t high_ = 0;
  std::uint16_t low_ = 0;
};

enum class LikelyType : std::uint8_t { f32, u32, i32, i16, text };
// As a register map writes it: "f32", "text(12)".
[[nodiscard]] std::string to_text(LikelyType type, std::uint32_t registers);

// What some registers are likely to hold.
struct LikelyValue {
  std::uint32_t first = 0;  // register of the request
  std::uint32_t registers = 1;
  LikelyType type = LikelyType::i16;
  bool high_word_first = true;  // of f32, u32 and i32
  std::string note;             // "41.2 to 43.7"
};

// The registers of one request, side by side. Bits are neither pairs nor types.
class SeenRegisters {
 public:
  // Of each the first `count` samples set how many there are.
  void add(const std::vector<std::uint16_t>& words);
  [[nodiscard]] const std::vector<SeenWord>& words() const { return words_; }
  // Those of which there is little doubt, by register, none overlapping another:
  //
  // - A 32-bit quantity: where the high word moves by one, the low word goes the other way far more
  //   often than it would if the two had nothing to do with each other. The chance of that, by the
  //   Chernoff bound of a binomial distribution, is below 10^-6, and the low word was all over its
  //   16 bits, up to both ends (hours beside minutes are no such pair), and the whole moves by
  //   about as much in these steps as in the others. It is a float where it always was a usual one
  //   and went both ways, and nothing where a counter makes sense too.
  // - A signed register: it went below zero and back twice, stayed nearer to it than chance would
  //   have it, and is neither half of something longer, as far as its neighbours show.
  // - Text: five registers or more that never changed, all letters, digits and what joins them.
  [[nodiscard]] std::vector<LikelyValue> likely() const;

 private:
  struct Pairs {
    SeenPair high_first;
    SeenPair low_first;
  };
  std::vector<SeenWord> words_;
  std::vector<Pairs> pairs_;  // of each register and the next one
};

}  // namespace greymet::capture
