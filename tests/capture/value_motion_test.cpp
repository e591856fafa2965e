// What registers are likely to hold, against simulated devices of which the test knows the truth.
// Devices are built to mislead: clocks, decimal pairs, longer values, noise beside what looks like
// the begin of a float.
#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <functional>
#include <map>
#include <random>
#include <set>

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "capture/value_motion.h"

using namespace greymet;

namespace {

using Words = std::vector<std::uint16_t>;
using Random = std::mt19937_64;

double uniform(Random& random, double from, double to) {
  return std::uniform_real_distribution<double>(from, to)(random);
}
double noise(Random& random, double size) {
  return std::normal_distribution<double>(0, size)(random);
}

Words halves(std::uint32_t value, bool high_first) {
  const auto high = static_cast<std::uint16_t>(value >> 16U);
  const auto low = static_cast<std::uint16_t>(value & 0xFFFFU);
  return high_first ? Words{high, low} : Words{low, high};
}
Words quarters(std::uint64_t value, bool high_first) {
  Words out;
  for (const unsigned shift : {48U, 32U, 16U, 0U}) {
    out.push_back(static_cast<std::uint16_t>(value >> shift & 0xFFFFU));
  }
  if (!high_first) std::reverse(out.begin(), out.end());
  return out;
}
Words float_words(double value, bool high_first) {
  return halves(std::bit_cast<std::uint32_t>(static_cast<float>(value)), high_first);
}
std::uint16_t word(double value) {
  return static_cast<std::uint16_t>(std::llround(value) & 0xFFFF);
}

// Something in a device: what it truly is, and its registers at the next sample.
struct Thing {
  std::string truth;  // what may be named at its begin; empty: nothing
  bool must_be_named = false;
  std::function<Words()> next;
};

using Maker = std::function<Thing(Random&, bool high_first)>;

// By name; every state is the thing's own.
const std::map<std::string, Maker>& makers() {
  static const std::map<std::string, Maker> all{
      {"a measured float",
       [](Random& random, bool high_first) {
         const double base = uniform(random, 1, 900);
         const double relative = uniform(random, 1e-3, 2e-3);
         return Thing{"f32", true, [&random, high_first, base, relative] {
                        return float_words(base * (1 + noise(random, relative)), high_first);
                      }};
       }},
      {"a level that rises and falls",
       [](Random& random, bool high_first) {
         return Thing{"f32", false,
                      [at = uniform(random, 10, 90), step = uniform(random, -0.4, 0.4), high_first,
                       &random]() mutable {
                        at += step + noise(random, 0.01);
                        if (at > 95 || at < 5) step = -step;
                        return float_words(at, high_first);
                      }};
       }},
      {"a float around zero",
       [](Random& random, bool high_first) {
         return Thing{"f32", false,
                      [&random, high_first] { return float_words(noise(random, 5), high_first); }};
       }},
      {"a counter",
       [](Random& random, bool high_first) {
         const auto step = static_cast<std::uint32_t>(uniform(random, 1000, 9000));
         auto at = static_cast<std::uint32_t>(uniform(random, 0, 3e8));
         return Thing{"u32", true, [at, step, high_first, &random]() mutable {
                        at += step + static_cast<std::uint32_t>(uniform(random, 0, 100));
                        return halves(at, high_first);
                      }};
       }},
      {"a slow counter",
       [](Random& random, bool high_first) {
         auto at = static_cast<std::uint32_t>(uniform(random, 0, 3e8));
         return Thing{"u32", false, [at, high_first]() mutable {
                        ++at;
                        return halves(at, high_first);
                      }};
       }},
      {"a position around zero",
       [](Random& random, bool high_first) {
         return Thing{"i32", false, [&random, high_first] {
                        const auto at = static_cast<std::int32_t>(noise(random, 60'000));
                        return halves(static_cast<std::uint32_t>(at), high_first);
                      }};
       }},
      {"a temperature around zero",
       [](Random& random, bool) {
         return Thing{"i16", true, [&random] { return Words{word(noise(random, 40))}; }};
       }},
      {"noise",
       [](Random& random, bool) {
         return Thing{"", false, [&random] { return Words{word(uniform(random, 0, 65535))}; }};
       }},
      {"an analogue input",
       [](Random& random, bool) {
         const double base = uniform(random, 100, 30000);
         return Thing{"", false, [&random, base] { return Words{word(base + noise(random, 20))}; }};
       }},
      {"what begins like a float",
       [](Random& random, bool) {
         return Thing{"", false, [at = uniform(random, 0x4000, 0x4700), &random]() mutable {
                        at += std::round(uniform(random, -1.4, 1.4));
                        return Words{word(at)};
                      }};
       }},
      {"a heartbeat",
       [](Random&, bool) {
         return Thing{"", false, [on = false]() mutable {
                        on = !on;
                        return Words{on ? std::uint16_t{1} : std::uint16_t{0}};
                      }};
       }},
      {"a truth of -1",
       [](Random& random, bool) {
         return Thing{
             "", false, [&random] {
               return Words{uniform(random, 0, 1) < 0.5 ? std::uint16_t{0xFFFF} : std::uint16_t{0}};
             }};
       }},
      {"a running number",
       [](Random& random, bool) {
         return Thing{"", false, [at = word(uniform(random, 0, 65535)), &random]() mutable {
                        at = static_cast<std::uint16_t>(at + word(uniform(random, 100, 900)));
                        return Words{at};
                      }};
       }},
      {"minutes and milliseconds",
       [](Random& random, bool high_first) {
         const double step = uniform(random, 900, 9000);
         return Thing{"", false, [at = 0.0, step, high_first]() mutable {
                        at += step;
                        const double minute = std::floor(at / 60'000);
                        const std::uint16_t high = word(std::fmod(minute, 60));
                        const std::uint16_t low = word(at - 60'000 * minute);
                        return high_first ? Words{high, low} : Words{low, high};
                      }};
       }},
      {"a decimal pair",
       [](Random& random, bool high_first) {
         const double step = uniform(random, 100, 900);
         return Thing{"", false, [at = 0.0, step, high_first]() mutable {
                        at += step;
                        const std::uint16_t high = word(std::floor(at / 10'000));
                        const std::uint16_t low = word(std::fmod(at, 10'000));
                        return high_first ? Words{high, low} : Words{low, high};
                      }};
       }},
      {"a long float",
       [](Random& random, bool high_first) {
         const double base = uniform(random, 1, 900);
         const double relative = std::pow(10, uniform(random, -7, -2));
         return Thing{"", false, [&random, high_first, base, relative] {
                        return quarters(
                            std::bit_cast<std::uint64_t>(base * (1 + noise(random, relative))),
                            high_first);
                      }};
       }},
      {"letters",
       [](Random& random, bool) {
         Words out;
         for (int i = 0; i < 6; ++i) {
           const auto letter = [&] { return static_cast<unsigned>(uniform(random, 'A', 'Z')); };
           out.push_back(static_cast<std::uint16_t>(letter() << 8U | letter()));
         }
         return Thing{"text(12)", false, [out] { return out; }};
       }},
      {"a setting", [](Random& random, bool) {
         return Thing{"", false, [at = word(uniform(random, 0, 5000))] { return Words{at}; }};
       }}};
  return all;
}

struct Counted {
  std::size_t named = 0;
  std::map<std::string, std::pair<std::size_t, std::size_t>> kinds;  // to be named, and found
};

// One device of these things, in any order, in `samples` readings of all its registers. `slowly`:
// half of them have no new value with every sample.
void look_at(std::uint64_t seed, std::vector<std::string> names, std::size_t samples, bool slowly,
             Counted& counted) {
  Random random(seed);
  const bool high_first = uniform(random, 0, 1) < 0.5;
  std::shuffle(names.begin(), names.end(), random);
  struct Placed {
    std::string name;
    Thing thing;
    Words now;
    std::size_t every = 1;  // samples, between two values of the device
  };
  std::vector<Placed> things;
  for (const std::string& name : names) {
    Thing thing = makers().at(name)(random, high_first);
    Words first = thing.next();
    const auto every =
        slowly && uniform(random, 0, 1) < 0.5 ? static_cast<std::size_t>(uniform(random, 1, 4)) : 1;
    things.push_back({name, std::move(thing), std::move(first), every});
  }
  capture::SeenRegisters seen;
  for (std::size_t sample = 0; sample < samples; ++sample) {
    Words all;
    for (Placed& each : things) {
      if (sample % each.every == 0) each.now = each.thing.next();
      all.insert(all.end(), each.now.begin(), each.now.end());
    }
    seen.add(all);
  }
  std::map<std::size_t, const Placed*> begins;
  std::map<std::size_t, std::string> inside;
  std::size_t at = 0;
  for (const Placed& each : things) {
    begins[at] = &each;
    for (const std::uint16_t unused : each.now) {
      static_cast<void>(unused);
      inside[at++] = each.name;
    }
  }
  std::set<std::size_t> named;
  for (const capture::LikelyValue& each : seen.likely()) {
    ++counted.named;
    named.insert(each.first);
    const auto truth = begins.find(each.first);
    const std::string type = to_text(each.type, each.registers);
    INFO(fmt::format("device {}: register {} was named {} ({}), it is {}", seed, each.first, type,
                     each.note, inside.at(each.first)));
    // where one text ends and the next one begins nobody can see
    if (each.type == capture::LikelyType::text) {
      for (std::uint32_t i = 0; i < each.registers; ++i) {
        REQUIRE(inside.at(each.first + i) == "letters");
      }
      continue;
    }
    REQUIRE(truth != begins.end());
    REQUIRE(type == truth->second->thing.truth);
    if (type == "f32" || type == "u32" || type == "i32") {
      REQUIRE(each.high_word_first == high_first);
    }
  }
  for (const auto& [place, thing] : begins) {
    if (!thing->thing.must_be_named) continue;
    auto& [due, found] = counted.kinds[thing->name];
    ++due;
    if (named.count(place) != 0) ++found;
  }
}

}  // namespace

TEST_CASE("no device is said to hold what it does not, however it moves") {
#ifdef GREYMET_SANITIZED
  constexpr std::uint64_t devices = 30;
#else
  constexpr std::uint64_t devices = 300;
#endif
  std::vector<std::string> names;
  for (const auto& [name, make] : makers()) names.insert(names.end(), 2, name);
  Counted counted;
  for (std::uint64_t seed = 1; seed <= devices; ++seed) {
    constexpr std::array<std::size_t, 5> lengths{20, 80, 300, 600, 1200};
    look_at(seed, names, lengths[seed % lengths.size()], true, counted);
  }
  CHECK(counted.named > devices);
}

TEST_CASE("what moves as values do is named: floats, counters, signed registers") {
  const std::vector<std::string> names{"a measured float",
                                       "a measured float",
                                       "a measured float",
                                       "a measured float",
                                       "a counter",
                                       "a counter",
                                       "a temperature around zero",
                                       "a temperature around zero",
                                       "an analogue input",
                                       "an analogue input",
                                       "a heartbeat",
                                       "a setting",
                                       "a setting",
                                       "letters"};
  Counted counted;
  for (std::uint64_t seed = 1; seed <= 30; ++seed) look_at(seed, names, 400, false, counted);
  // a float that never leaves one step of its high word cannot be told
  for (const auto& [name, kind] : counted.kinds) {
    INFO(fmt::format("{}: {} of {} found", name, kind.second, kind.first));
    CHECK(kind.second * 3 >= kind.first * 2);
  }
  CHECK(counted.kinds.size() == 3);
}

TEST_CASE("a level that steps whenever a running number begins anew is no high word of it") {
  // all wraps of the number coincide with a step of the level, and on its way down the level steps
  // while the number rises, as a borrow would have it: but the whole would leap
  capture::SeenRegisters seen;
  std::uint16_t number = 0;
  std::uint16_t level = 100;
  for (int i = 0; i < 800; ++i) {
    const auto next = static_cast<std::uint16_t>(number + 9001);
    const bool anew = next < number;
    if (i < 400 && anew) ++level;
    if (i >= 400 && i % 7 == 0 && !anew) --level;
    number = next;
    seen.add({level, number});
  }
  CHECK(seen.likely().empty());
  // a counter of 32 bits steps like that, and does not leap
  capture::SeenRegisters counter;
  std::uint32_t at = 5'000'000;
  for (int i = 0; i < 800; ++i) {
    at += 9001;
    counter.add(halves(at, true));
  }
  REQUIRE(counter.likely().size() == 1);
  CHECK(to_text(counter.likely().front().type, 2) == "u32");
}

TEST_CASE("what only rises may be a counter or a float, and is neither until it falls") {
  // as a counter above 10^9, as a float from 8 on
  capture::SeenRegisters rising;
  capture::SeenRegisters falling;
  std::uint32_t at = 0x41000000U;
  for (int i = 0; i < 600; ++i) {
    at += 9001;
    rising.add(halves(at, true));
    falling.add(halves(i < 300 ? at : 2 * 0x41000000U + 2 * 300 * 9001U - at, true));
  }
  CHECK(rising.likely().empty());
  REQUIRE(falling.likely().size() == 1);
  CHECK(to_text(falling.likely().front().type, 2) == "f32");
}
