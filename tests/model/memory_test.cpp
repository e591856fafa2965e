// Memory of controllers: names, bits inside words, what is served, and the next free range.
#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "model/memory_layout.h"
#include "plans.h"

using namespace greymet;
using namespace greymet::model;

namespace {

Controller controller_with(std::vector<MemoryArea> areas) {
  Controller c;
  c.name = "kiln";
  c.memory = std::move(areas);
  return c;
}

MemoryArea words(std::string name, std::int64_t first, std::int64_t count) {
  MemoryArea area;
  area.name = std::move(name);
  area.first = first;
  area.count = count;
  return area;
}

MemoryArea bits_inside(std::string name, std::string parent, std::int64_t count,
                       std::int64_t width) {
  MemoryArea area = words(std::move(name), 0, count);
  area.kind = MemoryKind::bit;
  area.inside = Located<std::string>{std::move(parent), {}};
  area.width = width;
  return area;
}

}  // namespace

TEST_CASE("of many areas a message names twelve, and a slip is still known for what it is") {
  std::vector<MemoryArea> areas;
  for (int i = 0; i < 15; ++i) areas.push_back(words(fmt::format("%A{}_", i), 0, 10));
  const Controller c = controller_with(areas);
  const MemoryLayout layout(c);
  CHECK(layout.read("%A14_3")->area == 14);
  const auto failure = layout.read("a14_3").error();
  CHECK(failure.meant == "%A14_3");
  CHECK(failure.message ==
        "'a14_3' is in no memory area of controller kiln, which has %A0_, %A1_, %A2_, %A3_, %A4_, "
        "%A5_, %A6_, %A7_, %A8_, %A9_, %A10_, %A11_ and 3 more");
  // two are meant as well: none is
  const Controller twins = controller_with({words("%MW", 0, 10), words("%mw", 0, 10)});
  CHECK_FALSE(MemoryLayout(twins).read("Mw3").error().meant);
}

TEST_CASE("a double word, a byte and a long word of an area of words are told as its words") {
  const Controller kiln = controller_with({words("%MW", 0, 400)});
  const MemoryLayout layout(kiln);
  const auto said = [&](std::string_view text) { return layout.read(text).error().message; };
  const std::string none = "is in no memory area of controller kiln, which has %MW";
  CHECK(said("%MD20") == "'%MD20' " + none +
                             "; it would be %MW40 and the one behind it, or %MW20 where words are "
                             "counted");
  CHECK(said("%ML4") == "'%ML4' " + none +
                            "; it would be %MW16 and the three behind it, or %MW4 where words are "
                            "counted");
  CHECK(said("%MB21") == "'%MB21' " + none + "; as a byte it would lie in %MW10 (or %MW21)");
  CHECK(said("%QD4") == "'%QD4' " + none);
  CHECK(said("%MD") == "'%MD' " + none);
}

TEST_CASE("memory texts are read by the longest area name that fits") {
  auto octal = words("D", 0, 100);
  octal.radix = 8;
  auto hexadecimal = words("W", 0, 0x200);
  hexadecimal.radix = 16;
  const Controller c =
      controller_with({words("%M", 0, 10), words("%MW", 0, 100), octal, hexadecimal});
  const MemoryLayout layout(c);
  CHECK(layout.read("%MW20")->area == 1);
  CHECK(layout.read("%M7")->area == 0);
  CHECK(layout.read("%MW20")->number == 20);
  CHECK(layout.read("%MW20.3")->bit == 3U);
  CHECK(layout.read("D17")->number == 15);
  CHECK(layout.read("W1F")->number == 31);
  CHECK_FALSE(layout.read("%MW")->number.has_value());
  CHECK(layout.name_of(2, 15) == "D17");
  CHECK(layout.name_of(3, 31) == "W1F");
  CHECK(layout.read("%QW1").error().message ==
        "'%QW1' is in no memory area of controller kiln, which has %M, %MW, D, W");
  CHECK(layout.read("D8").error().error == MemoryError::no_such_area);  // no octal digit
  CHECK(layout.read("%MW.3").error().error == MemoryError::not_an_address);
  CHECK(layout.read("%MW2.65535")->bit == 65535U);  // which bits there are is another question
  CHECK(layout.read("%MW2.65536").error().error == MemoryError::not_an_address);
  CHECK(layout.read("%MW2.x").error().error == MemoryError::not_an_address);
}

TEST_CASE("ranges must stay inside their area") {
  const Controller c = controller_with({words("%MW", 1, 100)});
  const MemoryLayout layout(c);
  CHECK(layout.range(0, 1, 100)->bits == BitRange{0, 0, 1600});
  CHECK(layout.range(0, 100, 1)->bits == BitRange{0, 1584, 1600});
  CHECK(layout.range(0, 0, 1).error().message ==
        "%MW0 lies outside %MW of controller kiln, which ends at %MW100");
  CHECK(layout.range(0, 99, 3).error().message ==
        "%MW99..%MW101 lies outside %MW of controller kiln, which ends at %MW100");
  CHECK_FALSE(layout.range(0, 1, 0).has_value());
  CHECK_FALSE(layout.range(0, 50, INT64_MAX).has_value());
}

TEST_CASE("a range outside is named with both ends, or by its start where the end is far") {
  const Controller c = controller_with({words("%MW", 1, 100)});
  const MemoryLayout layout(c);
  const auto message = [&](std::int64_t number, std::int64_t count) {
    const auto range = layout.range(0, number, count);
    return range ? std::string() : range.error().message;
  };
  const std::string tail = " lies outside %MW of controller kiln, which ends at %MW100";
  CHECK(message(1, 100).empty());
  CHECK(message(100, 1).empty());
  CHECK(message(100, 2) == "%MW100..%MW101" + tail);
  CHECK(message(0, 1) == "%MW0" + tail);
  CHECK(message(101, 1) == "%MW101" + tail);
  CHECK(message(5, 0) == "%MW5" + tail);
  CHECK(message(1'000'000'000, 2) == "%MW1000000000..%MW1000000001" + tail);
  CHECK(message(1'000'000'001, 2) == "%MW1000000001" + tail);
  CHECK(message(7, 1'000'000'000) == "%MW7..%MW1000000006" + tail);
  CHECK(message(7, 1'000'000'001) == "%MW7" + tail);
}

TEST_CASE("bits inside words overlap the words they lie in") {
  const Controller c = controller_with({words("%MW", 0, 10), bits_inside("%MX", "%MW", 80, 8)});
  const MemoryLayout layout(c);
  // width 8: bit 20 is bit 4 of word 2
  const auto bit = layout.range(1, 20, 1);
  REQUIRE(bit.has_value());
  CHECK(bit->bits == BitRange{0, 36, 37});
  CHECK(overlap(bit->bits, layout.range(0, 2, 1)->bits));
  CHECK_FALSE(overlap(bit->bits, layout.range(0, 3, 1)->bits));
  CHECK(layout.name_of(bit->bits) == "%MW2.4");
  CHECK(layout.name_of(layout.range(0, 2, 3)->bits) == "%MW2..%MW4");
}

TEST_CASE("what is served is found from both sides") {
  auto area = words("%MW", 1, 2000);
  area.serves = {{{"hr:1000", false}, {}}};
  const Controller c = controller_with({area});
  const MemoryLayout layout(c);
  CHECK(layout.served_at(0, Area::holding_register) == 1000U);
  CHECK_FALSE(layout.served_at(0, Area::coil).has_value());
  CHECK(layout.serves(Area::holding_register));
  CHECK_FALSE(layout.serves(Area::input_register));
  const auto memory = layout.serving(Area::holding_register, 1010, 5);
  REQUIRE(memory.has_value());
  CHECK(layout.name_of(*memory) == "%MW11..%MW15");
  CHECK_FALSE(layout.serving(Area::holding_register, 999, 1).has_value());
  CHECK_FALSE(layout.serving(Area::holding_register, 2999, 2).has_value());
}

TEST_CASE("an area alone means the lowest free range, in list order") {
  const auto loaded = test::load(
      test::with_rows({
          R"({ name = "a", slave = "gauge", fc = 3, at = 0, count = 4, into = "%MW", every = "1s" })",
          R"({ name = "b", slave = "gauge", fc = 3, at = 4, count = 2, into = "%MW2", every = "1s" })",
          R"({ name = "c", slave = "gauge", fc = 3, at = 10, count = 2, into = "%MW", every = "1s" })",
          R"({ name = "d", slave = "gauge", fc = 1, at = 0, count = 2, into = "%MX", every = "1s", status = { done = "%MX0" } })",
          R"({ name = "e", slave = "gauge", fc = 3, at = 12, count = 2, into = "%MW", every = "1s" })",
      }),
      test::base_files());
  CHECK(loaded.findings.empty());
  const auto name = [&](std::size_t i) {
    return loaded.plan.layouts[0].name_of(*loaded.plan.transactions[i].into);
  };
  CHECK(name(0) == "%MW4..%MW7");  // %MW0..%MW1 is too small before b
  CHECK(name(1) == "%MW2..%MW3");
  CHECK(name(2) == "%MW0..%MW1");
  CHECK(name(3) == "%MX1..%MX2");  // the status bit comes first
  CHECK(name(4) == "%MW8..%MW9");
  CHECK(loaded.plan.transactions[0].into->assigned);
  CHECK_FALSE(loaded.plan.transactions[1].into->assigned);
}

TEST_CASE("a full area is said, not overrun") {
  const auto findings = test::findings_of(test::with_rows(
      {R"({ name = "a", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s" })",
       R"({ name = "b", slave = "gauge", fc = 3, at = 4, count = 1, into = "%MW", every = "1s" })"}));
  CHECK(findings.empty());
  const auto full = test::findings_of(test::replaced(
      test::with_rows(
          {R"({ name = "a", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s" })",
           R"({ name = "b", slave = "gauge", fc = 3, at = 4, count = 2, into = "%MW", every = "1s" })"}),
      "count = 1000", "count = 3"));
  REQUIRE(full.size() == 1);
  CHECK(
      full[0] ==
      "error M03 26:68 transaction b: no 2 free words in a row are left in %MW of controller kiln");
}
