#include "figures/timeline.h"
#include "figures/gnuplot_process.h"

#include <catch2/catch.hpp>

#include "network_plan.h"
#include "plans.h"

#include "timing/report.h"

using namespace greymet;
using namespace greymet::figures;

namespace {

struct Drawn {
  files::LoadedPlan loaded;
  timing::TimingReport report;
};

Drawn drawn() {
  Drawn d;
  d.loaded = test::load(
      test::with_rows(
          {R"({ name = "a", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "200ms" })",
           R"({ name = "b", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW10", every = "200ms" })"}),
      test::base_files());
  d.report = timing::analyse(d.loaded.plan, {.trace_length = services_drawn});
  return d;
}

}  // namespace

TEST_CASE("a timeline has the parts of each transaction one behind the other") {
  const Drawn d = drawn();
  const auto figure = timeline_of(d.loaded.plan, d.report, d.report.lines[0]);
  REQUIRE(figure.has_value());
  CHECK(figure->rows == std::vector<std::string>{"gauge (12)", "pump (13)"});
  std::vector<TimelineBox> first;
  for (const TimelineBox& box : figure->boxes) {
    if (box.row == 0 && first.size() < 4) first.push_back(box);
  }
  REQUIRE(first.size() == 4);
  CHECK(first[0].part == Part::request);
  CHECK(first[1].part == Part::turnaround);
  CHECK(first[2].part == Part::reply);
  CHECK(first[3].part == Part::gap);
  CHECK(first[0].from_ms == 0);
  // 8 characters of 11 bits at 19200 baud, 5 ms, 21 characters, 3.5 characters
  CHECK(first[0].to_ms == Approx(8 * 11 / 19.2).margin(1e-5));
  CHECK(first[1].to_ms - first[1].from_ms == Approx(5).margin(1e-5));
  CHECK(first[2].to_ms - first[2].from_ms == Approx(21 * 11 / 19.2).margin(1e-5));
  CHECK(first[3].to_ms - first[3].from_ms == Approx(3.5 * 11 / 19.2).margin(1e-5));
  for (std::size_t i = 1; i < first.size(); ++i) CHECK(first[i].from_ms == first[i - 1].to_ms);
  for (const TimelineBox& box : figure->boxes) {
    CHECK(box.from_ms < box.to_ms);
    CHECK(box.to_ms <= figure->window_ms);
  }
  // the second was released at 0 and waits for the first
  const auto waiting = std::find_if(figure->boxes.begin(), figure->boxes.end(),
                                    [](const TimelineBox& b) { return b.part == Part::waiting; });
  REQUIRE(waiting != figure->boxes.end());
  CHECK(waiting->row == 1);
  CHECK(waiting->to_ms == first[3].to_ms);
}

TEST_CASE("the script names every part, its axis and its unit") {
  const Drawn d = drawn();
  const auto figure = timeline_of(d.loaded.plan, d.report, d.report.lines[0]);
  const std::string script = timeline_script(*figure, PictureFormat::svg);
  for (const char* text :
       {"title 'request'", "title 'turnaround'", "title 'reply'", "title 'gap'", "title 'waiting'",
        "in ms'", "'gauge (12)' 2", "'pump (13)' 1", "set terminal svg size 1280,800"}) {
    INFO(text);
    CHECK(script.find(text) != std::string::npos);
  }
  CHECK(timeline_script(*figure, PictureFormat::png).find("pngcairo") != std::string::npos);
  CHECK(timeline_script(*figure, PictureFormat::svg) == script);
}

TEST_CASE("names cannot get out of their quotes") {
  CHECK(script_text("`date` \"x\" \\n") == "'`date` \"x\" \\n'");
  CHECK(script_text("it's `date` \"x\" \\n") == "\"it\\047s \\140date\\140 \\042x\\042 \\134n\"");
  CHECK(script_text("a\nb\tc") == "'a\\u{A}b\\u{9}c'");
}

TEST_CASE("pictures are drawn, and a broken script is an error") {
  const Drawn d = drawn();
  const auto figure = timeline_of(d.loaded.plan, d.report, d.report.lines[0]);
  const auto svg = render(PictureFormat::svg, timeline_script(*figure, PictureFormat::svg));
  REQUIRE(svg.has_value());
  CHECK(svg->find("<svg") != std::string::npos);
  CHECK(svg->find("gauge (12)") != std::string::npos);
  CHECK(render(PictureFormat::svg, timeline_script(*figure, PictureFormat::svg)) == svg);
  const auto png = render(PictureFormat::png, timeline_script(*figure, PictureFormat::png));
  REQUIRE(png.has_value());
  CHECK(png->substr(1, 3) == "PNG");
  CHECK(render(PictureFormat::svg, "this is no script\n").error() ==
        "gnuplot could not draw the figure: invalid command");
  CHECK_FALSE(render(PictureFormat::svg, "").has_value());
}

TEST_CASE("a line on which nothing runs has no timeline") {
  const auto loaded = test::load(test::base_plan(), test::base_files());
  const auto report = timing::analyse(loaded.plan, {.trace_length = services_drawn});
  CHECK_FALSE(timeline_of(loaded.plan, report, report.lines.at(0)).has_value());
}

TEST_CASE("slaves whose shortened names are alike keep a row each") {
  const std::string alike = "compressor_of_the_kiln_house_";
  const auto loaded =
      test::load(test::network_plan(
                     {"{ name = \"x\", controller = \"kiln\", slave = \"" + alike +
                          "1\", fc = 3, at = 0, count = 1, into = \"%MW0\", every = \"200ms\" }",
                      "{ name = \"y\", controller = \"kiln\", slave = \"" + alike +
                          "2\", fc = 3, at = 0, count = 1, into = \"%MW1\", every = \"200ms\" }"},
                     "[slave." + alike + "1]\nhost = \"10.20.0.50\"\nunit = 1\n[slave." + alike +
                         "2]\nhost = \"10.20.0.50\"\nunit = 2\n"),
                 test::base_files());
  const auto report = timing::analyse(loaded.plan, {.trace_length = services_drawn});
  for (const auto& line : report.lines) {
    if (line.transactions.empty()) continue;
    const auto figure = timeline_of(loaded.plan, report, line);
    REQUIRE(figure.has_value());
    CHECK(figure->rows.size() == 2);
    CHECK(std::any_of(figure->boxes.begin(), figure->boxes.end(),
                      [](const TimelineBox& b) { return b.row == 1; }));
  }
}

TEST_CASE("what was seen on a wire: answers, and how long nobody answered") {
  using std::chrono::milliseconds;
  const auto between = [](int from, int until) {
    return std::pair<model::Duration, model::Duration>(milliseconds(from), milliseconds(until));
  };
  const std::vector<figures::SeenRequest> seen{
      {"line north", "fan", between(900, 1010), between(1030, 1040)},
      {"line north", "gauge", between(1100, 1110), std::nullopt},
      {"line north", "fan", between(1400, 1410), between(1420, 1430)},
      {"10.20.0.31:502", "air", between(1900, 1900), std::nullopt}};
  const auto figures = figures::timelines_seen(seen, {milliseconds(1000), milliseconds(2000)});
  REQUIRE(figures.size() == 2);
  CHECK(figures[0].rows == std::vector<std::string>{"fan", "gauge"});
  using figures::Part;
  const auto boxes_of = [](const figures::Timeline& figure, Part part) {
    std::vector<std::pair<double, double>> out;
    for (const auto& box : figure.boxes) {
      if (box.part == part) out.emplace_back(box.from_ms, box.to_ms);
    }
    return out;
  };
  using Boxes = std::vector<std::pair<double, double>>;
  CHECK(boxes_of(figures[0], Part::request) == Boxes{{1000, 1010}, {1100, 1110}, {1400, 1410}});
  CHECK(boxes_of(figures[0], Part::turnaround) == Boxes{{1010, 1030}, {1410, 1420}});
  CHECK(boxes_of(figures[0], Part::reply) == Boxes{{1030, 1040}, {1420, 1430}});
  // until the next question; on the other wire until the end
  CHECK(boxes_of(figures[0], Part::unanswered) == Boxes{{1110, 1400}});
  CHECK(boxes_of(figures[1], Part::unanswered) == Boxes{{1900, 2000}});
  // what is instant is seen all the same
  CHECK(boxes_of(figures[1], Part::request) == Boxes{{1900, 1902.5}});
  CHECK(figures::timeline_script(figures[0], figures::PictureFormat::svg).find("no answer") !=
        std::string::npos);
}
