// What a run comes to, and what is known of a memory.
#include "engine/run_watch.h"

#include <catch2/catch.hpp>

#include "plans.h"
#include "timing/report.h"

using namespace greymet;
using namespace greymet::engine;
using std::chrono::seconds;

namespace {

BitSequence words(std::uint64_t first, std::uint64_t count) {
  return {0, first * model::bits_per_word, count * model::bits_per_word, model::bits_per_word};
}

}  // namespace

TEST_CASE("what has to be there within a time is not met by coming later") {
  const auto loaded = test::load(test::base_plan(), test::base_files());
  const auto report = timing::analyse_longest(loaded.plan);
  ControllerMemory memory(loaded.plan.layouts[0]);
  Expectation in_time;
  in_time.where = "%MW5";
  in_time.memory = words(5, 1);
  in_time.value = 7;
  in_time.within = seconds(2);
  Expectation too_late = in_time;
  too_late.within = seconds(1);
  Expectation at_the_end = in_time;
  at_the_end.within.reset();
  RunWatch watch(loaded.plan, report, {in_time, too_late, at_the_end}, {});
  watch.look(seconds(1), {&memory});
  for (const auto& result : watch.results(true)) CHECK_FALSE(result.good);
  memory.put_registers(words(5, 1), {7});
  watch.look(seconds(2), {&memory});
  auto results = watch.results(false);
  CHECK(results[0].good);
  CHECK(results[0].met == seconds(2));
  CHECK_FALSE(results[1].good);
  CHECK_FALSE(results[2].good);  // it may still go
  CHECK(watch.results(true)[2].good);
  memory.put_registers(words(5, 1), {8});
  watch.look(seconds(3), {&memory});
  results = watch.results(true);
  CHECK(results[0].good);
  CHECK_FALSE(results[2].good);
}

TEST_CASE("a copy makes known what was known, word by word and bit by bit") {
  const auto loaded = test::load(test::base_plan(), test::base_files());
  ControllerMemory memory(loaded.plan.layouts[0]);
  memory.put_registers(words(10, 1), {0x1234});
  memory.copy(words(10, 2), words(20, 2));
  CHECK(memory.known(words(20, 1)));
  CHECK_FALSE(memory.known(words(21, 1)));
  CHECK(memory.registers(words(20, 2), 2) == std::vector<std::uint16_t>{0x1234, 0});
  // three bits, of which the middle one is known
  memory.set_bit(0, 30 * model::bits_per_word + 1, true);
  memory.copy({0, 30 * model::bits_per_word, 3, model::bits_per_word},
              {0, 40 * model::bits_per_word + 4, 3, model::bits_per_word});
  const auto bit = [](std::uint64_t at) { return BitSequence{0, at, 1, model::bits_per_word}; };
  CHECK_FALSE(memory.known(bit(40 * model::bits_per_word + 4)));
  CHECK(memory.known(bit(40 * model::bits_per_word + 5)));
  CHECK_FALSE(memory.known(bit(40 * model::bits_per_word + 6)));
  CHECK(memory.bit(0, 40 * model::bits_per_word + 5));
}
