#include "model/memory_report.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <fmt/format.h>

#include "model/free_memory.h"
#include "plans.h"

using namespace greymet;
using namespace greymet::model;
using test::replaced;
using test::with_rows;

namespace {

std::string row(const std::string& name, const std::string& rest) {
  return "{ name = \"" + name + "\", slave = \"gauge\", every = \"1s\", " + rest + " }";
}

// "%MW0..%MW7 8 read a": one line a row.
std::vector<std::string> rows(const StoreReport& store) {
  std::vector<std::string> out;
  for (const MemoryRow& r : store.rows) {
    out.push_back(fmt::format("{} {} {} {}{}{}", r.range, r.count, to_string(r.purpose), r.by,
                              r.clash ? " !" : "", r.assigned ? " *" : ""));
  }
  return out;
}

std::vector<std::string> free_of(const ResolvedPlan& plan, const StoreReport& store) {
  std::vector<std::string> out;
  for (const BitRange& bits : store.free) out.push_back(free_text(plan, 0, bits));
  return out;
}

using Lines = std::vector<std::string>;

}  // namespace

TEST_CASE("every use of a controller's memory, by address, with what is free") {
  const auto loaded = test::load(
      with_rows(
          {row("a", R"(fc = 3, at = 0, count = 8, into = "%MW10", status = { failed = "%MX7" })"),
           row("b", R"(fc = 16, at = 10, count = 2, from = "%MW20", only_if = "%MX9")"),
           row("c", R"(fc = 3, at = 10, count = 4, into = "%MW")")}) +
          "copies = [ { controller = \"kiln\", from = \"%MW10\", to = \"%MW30\", count = 2 } ]\n",
      test::base_files());
  REQUIRE(loaded.findings.empty());
  const MemoryReport report = memory_report(loaded.plan);
  REQUIRE(report.controllers.size() == 1);
  REQUIRE(report.controllers[0].stores.size() == 2);
  const StoreReport& words = report.controllers[0].stores[0];
  CHECK(rows(words) == Lines{"%MW0..%MW3 4 read c *", "%MW10..%MW17 8 read a",
                             "%MW10..%MW11 2 program copy from copy 1", "%MW20..%MW21 2 write b",
                             "%MW30..%MW31 2 program copy to copy 1"});
  CHECK(words.used == 4 + 8 + 2 + 2);
  CHECK(free_of(loaded.plan, words) ==
        Lines{"%MW4..%MW9 (6)", "%MW18..%MW19 (2)", "%MW22..%MW29 (8)", "%MW32..%MW999 (968)"});
  const StoreReport& bits = report.controllers[0].stores[1];
  CHECK(rows(bits) == Lines{"%MX7 1 status a", "%MX9 1 gate b"});
  CHECK(free_of(loaded.plan, bits) == Lines{"%MX0..%MX6 (7)", "%MX8 (1)", "%MX10..%MX255 (246)"});
}

TEST_CASE("overlaps are named with both users") {
  const auto loaded =
      test::load(with_rows({row("a", R"(fc = 3, at = 0, count = 8, into = "%MW10")"),
                            row("b", R"(fc = 3, at = 10, count = 4, into = "%MW15")"),
                            row("c", R"(fc = 16, at = 10, count = 2, from = "%MW18")")}),
                 test::base_files());
  const MemoryReport report = memory_report(loaded.plan);
  const StoreReport& words = report.controllers[0].stores[0];
  CHECK(rows(words) ==
        Lines{"%MW10..%MW17 8 read a !", "%MW15..%MW18 4 read b !", "%MW18..%MW19 2 write c !"});
  REQUIRE(words.clashes.size() == 2);
  CHECK(words.clashes[0].range == "%MW15..%MW17");
  CHECK(to_text(words.clashes[0].first) == "transaction a");
  CHECK(words.clashes[1].range == "%MW18");
  CHECK(to_text(words.clashes[1].second) == "transaction c");
}

TEST_CASE("a word of which one bit is used is not free") {
  const auto loaded = test::load(
      replaced(
          with_rows({row("a", R"(fc = 1, at = 0, count = 2, into = "%MX38")")}),
          "\"%MX\" = { kind = \"bit\", first = 0, count = 256 }",
          "\"%MX\" = { kind = \"bit\", first = 0, count = 256, inside = \"%MW\", width = 16 }"),
      test::base_files());
  const MemoryReport report = memory_report(loaded.plan);
  REQUIRE(report.controllers[0].stores.size() == 1);  // the bits lie in %MW
  const StoreReport& words = report.controllers[0].stores[0];
  CHECK(words.used == 1);
  CHECK(free_of(loaded.plan, words) == Lines{"%MW0..%MW1 (2)", "%MW3..%MW999 (997)"});
}

TEST_CASE("words of which a use takes bits are counted whole, at both edges") {
  // coils 1, 16, 17 and 33 bits long that begin at any bit: the words that hold their bits
  rc::prop("as counting words one by one", [] {
    const auto first = *rc::gen::inRange<std::uint32_t>(0, 60);
    const auto count = *rc::gen::inRange<std::uint32_t>(1, 60);
    const auto loaded = test::load(
        replaced(
            with_rows({row("a", "fc = 1, at = 0, count = " + std::to_string(count) +
                                    ", into = \"%MX" + std::to_string(first) + "\"")}),
            "\"%MX\" = { kind = \"bit\", first = 0, count = 256 }",
            "\"%MX\" = { kind = \"bit\", first = 0, count = 256, inside = \"%MW\", width = 16 }"),
        test::base_files());
    std::set<std::uint32_t> touched;
    for (std::uint32_t bit = first; bit < first + count; ++bit) touched.insert(bit / 16);
    const MemoryReport report = memory_report(loaded.plan);
    const StoreReport& words = report.controllers.at(0).stores.at(0);
    RC_ASSERT(words.used == static_cast<std::int64_t>(touched.size()));
    const bool whole = first % 16 == 0 && count % 16 == 0;
    RC_ASSERT(words.rows.at(0).count ==
              static_cast<std::int64_t>(whole ? touched.size() : std::size_t{count}));
  });
}

TEST_CASE("the first free range of bits inside words is free, and none before it is") {
  rc::prop("against a slow search", [] {
    constexpr std::int64_t words = 6;
    constexpr std::int64_t bits = words * 16;
    const auto width = *rc::gen::element(8, 16);  // bits a word that the controller names
    const auto first_word = *rc::gen::inRange(0, 3);
    const ResolvedPlan resolved =
        test::load(fmt::format("[controller.c]\nscan = \"10ms\"\n[controller.c.memory]\n"
                               "\"%W\" = {{ kind = \"word\", first = {}, count = {} }}\n"
                               "\"%X\" = {{ kind = \"bit\", first = {}, count = {}, inside = "
                               "\"%W\", width = {} }}\n",
                               first_word, words, first_word * width, words * width, width),
                   {})
            .plan;
    std::vector<bool> taken(bits, false);
    std::vector<MemoryUse> uses;
    const auto count = *rc::gen::inRange(0, 6);
    for (int i = 0; i < count; ++i) {
      const auto first = *rc::gen::inRange<std::int64_t>(0, bits);
      const auto end = std::min(bits, first + *rc::gen::inRange<std::int64_t>(1, 20));
      uses.push_back({{0, static_cast<std::uint64_t>(first), static_cast<std::uint64_t>(end)},
                      MemoryPurpose::read,
                      0,
                      {},
                      {}});
      for (std::int64_t b = first; b < end; ++b) taken[static_cast<std::size_t>(b)] = true;
    }
    const auto wanted = *rc::gen::inRange<std::int64_t>(1, 24);
    // bit n is bit n mod width of word n div width; a range is all bits from its first to its last
    const auto bit_of = [&](std::int64_t n) { return (n / width - first_word) * 16 + n % width; };
    std::optional<std::int64_t> expected;
    const std::int64_t end = (first_word + words) * width;
    for (std::int64_t n = first_word * width; n + wanted <= end && !expected; ++n) {
      bool all_free = true;
      for (std::int64_t b = bit_of(n); b <= bit_of(n + wanted - 1); ++b) {
        all_free = all_free && !taken[static_cast<std::size_t>(b)];
      }
      if (all_free) expected = n;
    }
    const auto found = FreeMemory(resolved, ControllerIndex(0), uses).lowest(1, wanted);
    RC_ASSERT(found.has_value() == expected.has_value());
    if (found) RC_ASSERT(found->number == *expected);
  });
}

TEST_CASE("32-bit values stay at even words where the controller aligns them") {
  const auto lowest = [](std::int64_t first, std::int64_t count, bool aligns) {
    const ResolvedPlan resolved =
        test::load(fmt::format("[controller.c]\nscan = \"10ms\"\n{}[controller.c.memory]\n"
                               "\"%W\" = {{ kind = \"word\", first = {}, count = 9 }}\n",
                               aligns ? "model = \"m.toml\"\n" : "", first),
                   {{"m.toml", "align32 = true\n"}})
            .plan;
    return FreeMemory(resolved, ControllerIndex(0), {}).lowest(0, count)->number;
  };
  CHECK(lowest(3, 2, true) == 4);
  CHECK(lowest(4, 2, true) == 4);
  CHECK(lowest(3, 1, true) == 3);
  CHECK(lowest(3, 2, false) == 3);
}

TEST_CASE("a slave's registers: who moves them, and what nobody does") {
  const auto loaded =
      test::load(with_rows({row("a", R"(fc = 3, at = 0, count = 8, into = "%MW10")"),
                            row("b", R"(fc = 16, at = 10, count = 2, from = "%MW30")"),
                            row("c", R"(fc = 6, at = 11, from = "%MW40")")}),
                 test::base_files());
  const MemoryReport report = memory_report(loaded.plan);
  const SlaveMemory& gauge = report.slaves.at(0);
  REQUIRE(gauge.areas.size() == 3);  // coils and input registers are listed
  const DeviceAreaReport& hr = gauge.areas.back();
  CHECK(hr.area == Area::holding_register);
  REQUIRE(hr.rows.size() == 3);
  CHECK(hr.rows[0].by == "a");
  CHECK_FALSE(hr.rows[0].clash);
  CHECK(hr.rows[1].clash);
  CHECK(hr.written_twice == std::vector<Extent>{{11, 12}});
  CHECK(hr.unused == Lines{"mode", "filter", "reset", "serial"});
  CHECK(hr.listed == std::vector<Extent>{{0, 8}, {10, 14}, {20, 21}, {30, 31}});
}

TEST_CASE("the first free range is free, and none before it is") {
  rc::prop("against a slow search", [] {
    constexpr std::int64_t words = 40;
    std::string plan =
        "[controller.c]\nscan = \"10ms\"\n[controller.c.memory]\n\"%MW\" = { kind = "
        "\"word\", first = 5, count = 40 }\n";
    ResolvedPlan resolved = test::load(plan, {}).plan;
    std::vector<MemoryUse> uses;
    std::vector<bool> taken(words, false);
    const auto count = *rc::gen::inRange(0, 8);
    for (int i = 0; i < count; ++i) {
      const auto first = *rc::gen::inRange<std::int64_t>(0, words);
      const auto length = *rc::gen::inRange<std::int64_t>(1, words - first + 1);
      const auto range = resolved.layouts[0].range(0, 5 + first, std::min<std::int64_t>(length, 6));
      RC_PRE(range.has_value());
      uses.push_back({range->bits, MemoryPurpose::read, 0, {}, {}});
      for (std::int64_t w = first; w < std::min(words, first + range->count); ++w) {
        taken[static_cast<std::size_t>(w)] = true;
      }
    }
    const auto wanted = *rc::gen::inRange<std::int64_t>(1, 12);
    std::optional<std::int64_t> expected;
    for (std::int64_t at = 0; at + wanted <= words && !expected; ++at) {
      bool all_free = true;
      for (std::int64_t w = at; w < at + wanted; ++w) {
        all_free = all_free && !taken[static_cast<std::size_t>(w)];
      }
      if (all_free) expected = 5 + at;
    }
    const auto found = FreeMemory(resolved, ControllerIndex(0), uses).lowest(0, wanted);
    RC_ASSERT(found.has_value() == expected.has_value());
    if (found) RC_ASSERT(found->number == *expected);
  });
}

TEST_CASE("a pile of overlaps is told by its first ones, and the rest counted") {
  std::vector<std::string> rows;
  constexpr std::size_t count = 60;
  for (std::size_t i = 0; i < count; ++i) {
    rows.push_back("{ name = \"t" + std::to_string(i) +
                   "\", slave = \"gauge\", fc = 3, at = 0, count = 4, into = \"%MW0\", every = "
                   "\"1s\" }");
  }
  const auto loaded = test::load(test::with_rows(rows), test::base_files());
  const auto report = model::memory_report(loaded.plan);
  const auto& store = report.controllers[0].stores[0];
  // each of the first ten with fifty others, and so on down to the last
  std::size_t pairs = 0;
  for (std::size_t i = 0; i < count; ++i) pairs += std::min<std::size_t>(50, count - 1 - i);
  CHECK(store.clashes.size() == 500);
  CHECK(store.clashes.size() + store.clashes_not_named == pairs);
  for (const auto& row : store.rows) CHECK(row.clash);
}
