#include "figures/memory_map.h"
#include "figures/gnuplot_process.h"

#include <catch2/catch.hpp>

#include <fmt/format.h>

#include "model/memory_report.h"
#include "plans.h"

using namespace greymet;
using namespace greymet::figures;

namespace {

std::string row(const std::string& name, const std::string& rest) {
  return "{ name = \"" + name + "\", slave = \"gauge\", every = \"1s\", " + rest + " }";
}

}  // namespace

TEST_CASE("a long store is folded into rows, empty rows are left out") {
  const auto loaded =
      test::load(test::with_rows({row("a", R"(fc = 3, at = 0, count = 8, into = "%MW15")"),
                                  row("b", R"(fc = 3, at = 10, count = 4, into = "%MW21")"),
                                  row("c", R"(fc = 16, at = 10, count = 2, from = "%MW900")")}),
                 test::base_files());
  const auto report = model::memory_report(loaded.plan);
  const MemoryMap map = memory_map_of(loaded.plan, report.controllers[0]);
  CHECK(map.per_row == 20);
  CHECK(map.rows == std::vector<std::string>{"%MW0", "%MW20", "%MW900"});
  std::vector<std::string> boxes;
  for (const MapBox& b : map.boxes) {
    boxes.push_back(fmt::format("{}:{}-{} {}", b.row, b.from, b.to, static_cast<int>(b.part)));
  }
  // a: 15..22 crosses the row's end; b: 21..24; both share 21..22
  const auto read = static_cast<int>(MapPart::read);
  const auto overlap = static_cast<int>(MapPart::overlap);
  CHECK(boxes ==
        std::vector<std::string>{fmt::format("0:15-20 {}", read), fmt::format("1:0-3 {}", read),
                                 fmt::format("1:1-5 {}", read),
                                 fmt::format("2:0-2 {}", static_cast<int>(MapPart::written)),
                                 fmt::format("1:1-3 {}", overlap)});
  CHECK(map.subtitle == "%MW: 12 of 1000 words used, %MX: 0 of 256 bits used; 3 ranges, 1 overlap");
}

TEST_CASE("8,000 words and 100 transactions stay within the rows of a page") {
  std::string plan =
      "[controller.c]\nscan = \"10ms\"\n[controller.c.memory]\n\"%MW\" = { kind = "
      "\"word\", count = 8000 }\n[line.l]\nmaster = \"c\"\nmode = \"rtu\"\nbaud = "
      "9600\nformat = \"8E1\"\n[slave.s]\nline = \"l\"\nunit = 1\n[exchange]\n"
      "transactions = [\n";
  for (int i = 0; i < 100; ++i) {
    plan += fmt::format(
        "  {{ name = \"t{0}\", slave = \"s\", fc = 3, at = {1}, count = 40, into = \"%MW{1}\", "
        "every = "
        "\"60s\" }},\n",
        i, i * 80);
  }
  const auto loaded = test::load(plan + "]\n", {});
  const auto report = model::memory_report(loaded.plan);
  const MemoryMap map = memory_map_of(loaded.plan, report.controllers[0]);
  CHECK(map.rows.size() <= 18);
  CHECK(map.per_row == 500);
  for (const MapBox& box : map.boxes) {
    CHECK(box.from < box.to);
    CHECK(box.to <= static_cast<double>(map.per_row));
  }
  const auto picture = render(PictureFormat::png, memory_map_script(map, PictureFormat::png));
  REQUIRE(picture.has_value());
  CHECK(picture->substr(1, 3) == "PNG");
}

TEST_CASE("the same map gives the same script, and odd names do no harm") {
  const auto loaded = test::load(
      test::with_rows(
          {"{ name = \"it's 100%\\t{x}_^@\", slave = \"gauge\", fc = 3, at = 0, count = 8, "
           "into = \"%MW0\", every = \"1s\" }"}),
      test::base_files());
  const auto report = model::memory_report(loaded.plan);
  const auto script = [&](PictureFormat format) {
    return memory_map_script(memory_map_of(loaded.plan, report.controllers[0]), format);
  };
  CHECK(script(PictureFormat::svg) == script(PictureFormat::svg));
  const auto picture = render(PictureFormat::svg, script(PictureFormat::svg));
  REQUIRE(picture.has_value());
  CHECK(picture->find("<svg") != std::string::npos);
  CHECK(picture->find("100%") != std::string::npos);
  const auto slave =
      render(PictureFormat::svg,
             memory_map_script(memory_map_of(loaded.plan, report.slaves[0]), PictureFormat::svg));
  CHECK(slave.has_value());
  // nothing at all is a picture as well
  CHECK(render(PictureFormat::svg,
               memory_map_script(memory_map_of(loaded.plan, report.slaves[1]), PictureFormat::svg))
            .has_value());
  MemoryMap empty;
  empty.per_row = 20;
  CHECK(render(PictureFormat::svg, memory_map_script(empty, PictureFormat::svg)).has_value());
}
