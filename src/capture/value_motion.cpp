#include "capture/value_motion.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <optional>

#include <fmt/format.h>

namespace greymet::capture {

namespace {

// e^-14 is a chance of one in a million.
constexpr double doubtless = 14;
constexpr std::uint16_t near_zero = 0x4000;

float float_of(std::uint16_t high, std::uint16_t low) {
  return std::bit_cast<float>(std::uint32_t{high} << 16U | low);
}

bool is_usual(float value) {
  constexpr float least = 1e-5F;
  constexpr float greatest = 1e8F;
  const float size = std::abs(value);
  return std::bit_cast<std::uint32_t>(value) == 0 || (size >= least && size <= greatest);
}

// -ln of the greatest chance that of `count` events at least `with` are of a kind that has `share`
// of all: count times the divergence of the two shares (Chernoff).
double against_chance(std::uint64_t with, std::uint64_t count, double share) {
  if (count == 0) return 0;
  const double found = static_cast<double>(with) / static_cast<double>(count);
  if (found <= share || share <= 0) return 0;
  const double other = found < 1 ? (1 - found) * std::log((1 - found) / (1 - share)) : 0;
  return static_cast<double>(count) * (found * std::log(found / share) + other);
}

double share_of(std::uint64_t part, std::uint64_t all) {
  return all == 0 ? 0 : static_cast<double>(part) / static_cast<double>(all);
}

// Whether so many draws from all 16 bits may well have left out what lies beyond the ends.
bool fills_its_range(const SeenWord& low) {
  constexpr double whole = 65536;
  constexpr double doubtful = 7;  // e^-7: one in a thousand
  constexpr int most_sixteenths = 8;
  const auto draws = static_cast<double>(low.changes() + 1);
  return std::popcount(low.sixteenths) >= most_sixteenths &&
         draws * std::log(whole / (low.greatest + 1.0)) <= doubtful &&
         draws * std::log(whole / (whole - low.least)) <= doubtful;
}

// Whether so many draws from all 16 bits would not all have come to lie so near to each other.
bool stays_near(const SeenWord& word) {
  const double range = word.greatest_signed - word.least_signed + 1.0;
  constexpr double whole = 65536;
  return static_cast<double>(word.changes() + 1) * std::log(whole / range) >= doubtless;
}

// Whether the whole moves by about as much where its high word moves as where that stays: two that
// only happen to keep time do not.
bool moves_evenly(const SeenPair& pair) {
  constexpr std::uint64_t enough = 5;
  constexpr double about = 2.5;  // words that have nothing to do with each other come to 3
  if (pair.stays < enough) return false;
  const double usual = pair.stays_size / static_cast<double>(pair.stays);
  return pair.up_size <= about * usual * static_cast<double>(pair.up) &&
         pair.down_size <= about * usual * static_cast<double>(pair.down);
}

double carries(const SeenPair& pair, const SeenWord& low) {
  return against_chance(pair.up_with_carry, pair.up, share_of(low.drops, low.changes())) +
         against_chance(pair.down_with_carry, pair.down, share_of(low.rises, low.changes()));
}

std::optional<LikelyType> type_of(const SeenPair& pair, const SeenWord& high) {
  const bool both_ways = pair.rises > 0 && pair.drops > 0;
  if (pair.always_a_usual_float) {
    if (both_ways) return LikelyType::f32;
    return std::nullopt;  // a counter above 920 million, or a float that only rises
  }
  if (high.greatest < 0x8000) return LikelyType::u32;
  const bool around_zero = high.least_signed > -near_zero && high.greatest_signed < near_zero &&
                           high.greatest_signed >= 0;
  return around_zero ? std::optional(LikelyType::i32) : std::nullopt;
}

bool is_text(std::uint16_t word) {
  const auto joins = [](unsigned c) {
    return (c >= '0' && c <= '9') || (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z') || c == ' ' ||
           c == '-' || c == '.' || c == '_';
  };
  return joins(word >> 8U) && joins(word & 0xFFU);
}

}  // namespace

std::string to_text(LikelyType type, std::uint32_t registers) {
  switch (type) {
    case LikelyType::f32: return "f32";
    case LikelyType::u32: return "u32";
    case LikelyType::i32: return "i32";
    case LikelyType::i16: return "i16";
    case LikelyType::text: return fmt::format("text({})", 2 * registers);
  }
  return {};
}

void SeenWord::add(std::uint16_t value) {
  if (samples > 0 && value != last) {
    ++(value > last ? rises : drops);
    if (last < near_zero && value >= 0xC000) ++below_zero;
    if (last >= 0xC000 && value < near_zero) ++above_zero;
  }
  last = value;
  least = std::min(least, value);
  greatest = std::max(greatest, value);
  const auto as_signed = static_cast<std::int16_t>(value);
  least_signed = std::min(least_signed, as_signed);
  greatest_signed = std::max(greatest_signed, as_signed);
  sixteenths = static_cast<std::uint16_t>(sixteenths | 1U << (value >> 12U));
  ++samples;
}

void SeenPair::add(std::uint16_t high, std::uint16_t low) {
  const float value = float_of(high, low);
  always_a_usual_float = always_a_usual_float && is_usual(value);
  least = seen_ ? std::min(least, value) : value;
  greatest = seen_ ? std::max(greatest, value) : value;
  if (seen_) {
    const auto step = static_cast<std::uint16_t>(high - high_);
    constexpr double whole = 65536;
    const double low_step = static_cast<double>(low) - low_;
    if (step == 1) {
      ++up;
      up_size += std::abs(whole + low_step);
      if (low < low_) ++up_with_carry;
    } else if (step == 0xFFFF) {
      ++down;
      down_size += std::abs(low_step - whole);
      if (low > low_) ++down_with_carry;
    } else if (step == 0 && low != low_) {
      ++stays;
      stays_size += std::abs(low_step);
    }
    const auto before = std::uint32_t{high_} << 16U | low_;
    const auto now = std::uint32_t{high} << 16U | low;
    if (now != before) ++(now > before ? rises : drops);
  }
  seen_ = true;
  high_ = high;
  low_ = low;
}

void SeenRegisters::add(const std::vector<std::uint16_t>& words) {
  if (words_.empty()) {
    words_.resize(words.size());
    pairs_.resize(words.empty() ? 0 : words.size() - 1);
  }
  const std::size_t count = std::min(words_.size(), words.size());
  for (std::size_t i = 0; i < count; ++i) {
    words_[i].add(words[i]);
    if (i + 1 == count) break;
    pairs_[i].high_first.add(words[i], words[i + 1]);
    pairs_[i].low_first.add(words[i + 1], words[i]);
  }
}

std::vector<LikelyValue> SeenRegisters::likely() const {
  constexpr int wild = 12;  // sixteenths of its range
  const auto is_wild = [&](std::size_t i) {
    return i < words_.size() && std::popcount(words_[i].sixteenths) >= wild;
  };
  struct Candidate {
    double certainty = 0;
    LikelyValue value;
  };
  std::vector<Candidate> candidates;
  for (std::size_t i = 0; i < pairs_.size(); ++i) {
    for (const bool high_first : {true, false}) {
      const SeenPair& pair = high_first ? pairs_[i].high_first : pairs_[i].low_first;
      const SeenWord& high = words_[high_first ? i : i + 1];
      const SeenWord& low = words_[high_first ? i + 1 : i];
      // what goes on below the low word is longer than 32 bits
      const bool goes_on = high_first ? is_wild(i + 2) : i > 0 && is_wild(i - 1);
      const double certainty = carries(pair, low);
      if (certainty < doubtless || goes_on || !fills_its_range(low) || !moves_evenly(pair)) {
        continue;
      }
      const auto type = type_of(pair, high);
      if (!type) continue;
      candidates.push_back(
          {certainty,
           {static_cast<std::uint32_t>(i), 2, *type, high_first,
            *type == LikelyType::f32 ? fmt::format("{:.6g} to {:.6g}", pair.least, pair.greatest)
                                     : std::string()}});
    }
  }
  std::stable_sort(
      candidates.begin(), candidates.end(),
      [](const Candidate& a, const Candidate& b) { return a.certainty > b.certainty; });
  std::vector<bool> taken(words_.size());
  std::vector<LikelyValue> out;
  for (Candidate& each : candidates) {
    const std::size_t first = each.value.first;
    if (taken[first] || taken[first + 1]) continue;
    taken[first] = taken[first + 1] = true;
    out.push_back(std::move(each.value));
  }
  const std::vector<bool> in_pair = taken;
  // The quiet half of a value: the other half, which may be all over its range, stands beside it.
  const auto may_be_half = [&](std::size_t i) {
    const auto may_be_other = [&](std::size_t other) {
      return other < words_.size() && !in_pair[other] && words_[other].changes() > 0 &&
             !stays_near(words_[other]);
    };
    return (i > 0 && may_be_other(i - 1)) || may_be_other(i + 1);
  };
  // a neighbour that moves by one where this one overflows may be its high word
  const auto overflows_into = [](const SeenPair& pair, const SeenWord& low) {
    constexpr double doubtful = 2.5;  // e^-2.5: one in twelve
    return carries(pair, low) >= doubtful;
  };
  for (std::size_t i = 0; i < words_.size(); ++i) {
    const SeenWord& word = words_[i];
    constexpr std::uint64_t twice = 2;
    constexpr int more_than_a_truth = 8;  // which may be 0 and -1
    const bool around_zero = word.below_zero >= twice && word.above_zero >= twice &&
                             word.least_signed > -near_zero && word.greatest_signed < near_zero &&
                             word.greatest_signed - word.least_signed >= more_than_a_truth &&
                             stays_near(word);
    if (taken[i] || !around_zero) continue;
    if (i > 0 && overflows_into(pairs_[i - 1].high_first, word)) continue;
    if (i < pairs_.size() && overflows_into(pairs_[i].low_first, word)) continue;
    // or it is itself the high word of something that moves too fast for its carries to be seen
    if (may_be_half(i)) continue;
    taken[i] = true;
    out.push_back({static_cast<std::uint32_t>(i), 1, LikelyType::i16, true,
                   fmt::format("{} to {}", word.least_signed, word.greatest_signed)});
  }
  const auto is_letters = [&](std::size_t at) {
    const auto floats_with = [&](std::size_t other, const SeenPair& pair) {
      return words_[other].changes() > 0 && !in_pair[other] && pair.always_a_usual_float;
    };
    if ((at > 0 && floats_with(at - 1, pairs_[at - 1].low_first)) ||
        (at < pairs_.size() && floats_with(at + 1, pairs_[at].high_first))) {
      return false;
    }
    return !taken[at] && !may_be_half(at) && words_[at].samples > 1 && words_[at].changes() == 0 &&
           is_text(words_[at].last);
  };
  for (std::size_t i = 0; i < words_.size();) {
    std::size_t end = i;
    std::string letters;
    while (end < words_.size() && is_letters(end)) {
      letters += static_cast<char>(words_[end].last >> 8U);
      letters += static_cast<char>(words_[end].last & 0xFFU);
      ++end;
    }
    constexpr std::size_t shortest = 5;
    constexpr std::size_t longest = 125;
    if (end - i >= shortest && end - i <= longest) {
      out.push_back({static_cast<std::uint32_t>(i), static_cast<std::uint32_t>(end - i),
                     LikelyType::text, true, fmt::format("'{}'", letters)});
    }
    i = std::max(end, i + 1);
  }
  std::sort(out.begin(), out.end(),
            [](const LikelyValue& a, const LikelyValue& b) { return a.first < b.first; });
  return out;
}

}  // namespace greymet::capture
