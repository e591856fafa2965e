// What is exported as a Thing Description and read again is the same map.
#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "exported.h"
#include "files/map_import.h"
#include "files/map_reader.h"

using namespace greymet;

TEST_CASE("a Thing Description that is read again gives the points that it was made of") {
  const test::Exported demo = test::exported_demo();
  const auto& plan = demo.loaded.plan;
  std::size_t compared = 0;
  for (std::size_t s = 0; s < plan.plan.slaves.size(); ++s) {
    const auto& slave = plan.plan.slaves[s];
    const auto imported = files::import_map(
        "a.td.json", demo.file("things", fmt::format("things/{}.td.json", slave.name)));
    REQUIRE(imported.has_value());
    CHECK(imported->notes.empty());
    CHECK(imported->endpoint.has_value() ==
          (slave.host.has_value() || plan.line_gateway[*plan.slave_line[s]].has_value()));
    model::Findings findings;
    const auto map =
        files::read_map(imported->csv, "m.csv", 0, model::Numbering::from_0, {}, findings);
    CHECK(findings.empty());
    const auto& points = plan.plan.maps[*slave.map].points();
    REQUIRE(map.points().size() == points.size());
    for (std::size_t i = 0; i < points.size(); ++i) {
      const model::Point& was = points[i];
      const model::Point& is = map.points()[i];
      INFO(slave.name << "." << was.name);
      CHECK(is.name == was.name);
      CHECK(is.address.area == was.address.area);
      CHECK(is.address.offset == was.address.offset);
      CHECK(is.type == was.type);
      CHECK(is.bit == was.bit);
      CHECK(is.factor == was.factor);
      CHECK(is.offset == was.offset);
      CHECK(is.unit == was.unit);
      CHECK(is.min == was.min);
      CHECK(is.max == was.max);
      CHECK(is.access == was.access);
      if (is_multi_register(was.type)) CHECK(is.word_order == plan.order_of(s, was));
      ++compared;
    }
  }
  CHECK(compared > 400);
}
