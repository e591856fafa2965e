// Use, responses, path ages and heartbeats: what the scripts hold, and that gnuplot draws them.
#include <catch2/catch.hpp>

#include "figures/gnuplot_process.h"
#include "figures/heartbeat_chart.h"
#include "figures/path_histogram.h"
#include "figures/response_chart.h"
#include "figures/use_chart.h"
#include "files/plan_loader.h"
#include "plans.h"
#include "timing/report.h"

using namespace greymet;
using namespace greymet::figures;

namespace {

const timing::TimingReport& demo() {
  static const auto loaded =
      files::load_plan(GREYMET_EXAMPLES "/maltings.toml", files::disk_files());
  static const timing::TimingReport report = timing::analyse(loaded.plan, {});
  return report;
}

template <class Script>
void draws(const Script& script) {
  for (const auto format : {PictureFormat::svg, PictureFormat::png}) {
    const auto picture = render(format, script(format));
    REQUIRE(picture);
    CHECK(picture->find(format == PictureFormat::svg ? "<svg" : "PNG") != std::string::npos);
  }
}

timing::LineReport line_of(std::size_t transactions) {
  timing::LineReport line;
  line.name = "l";
  for (std::size_t i = 0; i < transactions; ++i) {
    timing::TransactionReport t;
    t.name = "transaction-number-" + std::to_string(i) + "-with-a-long-name";
    t.period = std::chrono::milliseconds(100 + i);
    t.response_bound = std::chrono::milliseconds(2 * i + 1);
    t.response_simulated = std::chrono::milliseconds(i + 1);
    line.transactions.push_back(t);
  }
  return line;
}

}  // namespace

TEST_CASE("use per line marks what has no reserve") {
  auto report = timing::TimingReport();
  for (const double use : {12.34, 80.0, 80.1, 250.0}) {
    timing::LineReport line;
    line.name = "line 100%";
    line.utilisation_percent = use;
    report.lines.push_back(line);
  }
  const std::string script = use_script(report, PictureFormat::svg);
  CHECK(script.find("\"12.3 %\"") != std::string::npos);
  CHECK(script.find("\"250.0 %\"") > script.find("$full"));
  CHECK(script.find("\"80.0 %\"") < script.find("$full"));
  draws([&](auto format) { return use_script(report, format); });
  draws([&](auto format) { return use_script(timing::TimingReport(), format); });
  draws([&](auto format) { return use_script(demo(), format); });
}

TEST_CASE("responses stand beside bound and period; of many the tightest are shown") {
  const auto chart = response_chart_of(line_of(200));
  CHECK(chart.rows.size() == 60);
  // the largest bound for its period first: 2 x 199 + 1 ms of 299
  CHECK(chart.rows[0].bound_ms == Approx(399));
  CHECK(chart.rows[0].period_ms == Approx(299));
  CHECK(chart.rows[0].name.size() == 22);
  CHECK(chart.subtitle.find("for 100 of 200 transactions") != std::string::npos);
  draws([&](auto format) { return response_script(chart, format); });
  for (const timing::LineReport& line : demo().lines) {
    if (line.name != "south") continue;
    const auto south = response_chart_of(line);
    CHECK(south.rows.size() == 20);
    draws([&](auto format) { return response_script(south, format); });
  }
  CHECK(response_chart_of(timing::LineReport()).rows.empty());
}

TEST_CASE("the histogram of a path marks its quantiles, bound and budget in order") {
  const timing::PathReport& path = demo().paths.at(0);
  const std::string script = path_histogram_script(path, PictureFormat::svg);
  CHECK(script.find("'half of the time") < script.find("'99 %"));
  CHECK(script.find("'99 %") < script.find("'bound"));
  CHECK(script.find("'bound 1319 ms'") < script.find("'budget 2000 ms'"));
  draws([&](auto format) { return path_histogram_script(path, format); });
}

TEST_CASE("a heartbeat is drawn from its producer to the consumer's watch") {
  const std::string script = heartbeat_script(demo(), 0, PictureFormat::svg);
  CHECK(script.find("Heartbeat kiln-alive") != std::string::npos);
  CHECK(script.find("alarm at the latest 2656 ms") != std::string::npos);
  for (const std::size_t i : {0U, 1U}) {
    draws([&](auto format) { return heartbeat_script(demo(), i, format); });
  }
}
