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

TEST_CASE("every value of a block is known, the last one too, and none beyond what was read") {
  const auto loaded = test::load(
      test::with_rows(
          {R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 4, into = "%MW0", every = "1s" })"}),
      {{"gauge.csv", "point,area,address,type\na,hr,0,u16\nb,hr,1,f32\nc,hr,3,u16\n"}});
  PointValues points(loaded.plan);
  RequestRecord record;
  record.words = {7, 0x4148, 0, 9};
  points.add(record);
  REQUIRE(points.find(0, 2) != nullptr);
  CHECK(points.find(0, 0)->words == std::vector<std::uint16_t>{7});
  CHECK(points.find(0, 1)->words == std::vector<std::uint16_t>{0x4148, 0});
  CHECK(points.find(0, 2)->words == std::vector<std::uint16_t>{9});
  record.words = {8, 0};
  points.add(record);
  CHECK(points.find(0, 0)->words == std::vector<std::uint16_t>{8});
  CHECK(points.find(0, 1)->words == std::vector<std::uint16_t>{0x4148, 0});
  CHECK(points.find(0, 2)->words == std::vector<std::uint16_t>{9});
}

TEST_CASE("a quantile of many durations is the value of its rank") {
  for (const int below : {499, 500}) {
    DurationSample sample;
    for (int i = 0; i < 1000; ++i) sample.add(seconds(i < below ? 1 : 2));
    // the 500th of a thousand
    const Duration wanted = below == 500 ? seconds(1) : seconds(2);
    CHECK(std::abs(static_cast<double>((*sample.median() - wanted).count())) <
          0.004 * static_cast<double>(wanted.count()));
    CHECK(sample.least() == seconds(1));
    CHECK(sample.greatest() == seconds(2));
  }
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
