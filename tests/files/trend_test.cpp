// Values out of a log, against a reader that goes through the rows one by one; and a log that
// grows while it is read.
#include <cmath>

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "files/log_reader.h"
#include "files/request_log.h"
#include "plans.h"
#include "process.h"

using namespace greymet;
using files::TrendLog;

namespace {

// Words 0 to 3 are read into %MW0, two are written from %MW20, one bit of a word is read.
files::LoadedPlan followed_plan() {
  return test::load(
      test::with_rows(
          {R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 4, into = "%MW0", every = "1s" })",
           R"({ name = "out", slave = "gauge", fc = 16, at = 8, count = 2, from = "%MW20", on = "change", min_gap = "1s" })"}),
      {{"gauge.csv",
        "point,area,address,type,bit,factor,unit,access\nlevel,hr,0,u16,,0.1,m,r\n"
        "full,hr,1,bool,3,,,r\nflow,hr,8,i16,,,l/s,rw\nname,hr,2,text(4),,,,r\n"}});
}

struct LoggedRow {
  double time = 0;
  bool is_read = true;
  int outcome = 0;  // good, timeout, left-out
  std::vector<std::uint16_t> words;
  [[nodiscard]] std::string text() const {
    std::string list;
    for (const std::uint16_t word : words) {
      list += fmt::format("{}{:04X}", list.empty() ? "" : " ", word);
    }
    return fmt::format("{:.6f},{},gauge,{},1,{},,1.0,{},0,0,1,\r\n", time, is_read ? "in" : "out",
                       is_read ? 3 : 16,
                       outcome == 0   ? "good"
                       : outcome == 1 ? "timeout"
                                      : "left-out",
                       outcome == 0 ? list : "");
  }
};

std::vector<files::TrendPoint> followed(const model::ResolvedPlan& plan,
                                        const std::vector<std::string>& names) {
  std::vector<files::TrendPoint> out;
  for (const std::string& name : names) out.push_back(*files::trend_point(plan, name));
  return out;
}

}  // namespace

TEST_CASE("a trend has every sample of the log, its gaps and its writes, however the log grew") {
  const auto loaded = followed_plan();
  rc::prop("trend", [&] {
    const auto count = *rc::gen::inRange(0, 30);
    std::vector<LoggedRow> rows;
    double time = 0;
    for (int i = 0; i < count; ++i) {
      LoggedRow row;
      time += *rc::gen::element(0.11, 1.0, 2.4, 2.63, 7.0);
      row.time = time;
      row.is_read = *rc::gen::inRange(0, 4) != 0;
      row.outcome = *rc::gen::weightedElement<int>({{6, 0}, {2, 1}, {1, 2}});
      row.words = *rc::gen::container<std::vector<std::uint16_t>>(
          row.is_read ? 4 : 2, rc::gen::arbitrary<std::uint16_t>());
      rows.push_back(row);
    }
    const test::TemporaryFolder folder;
    std::string text = files::request_log_header();
    for (const LoggedRow& row : rows) text += row.text();
    folder.write("log.csv", files::request_log_header());
    auto log = TrendLog::open(folder.file("log.csv"), loaded.plan,
                              followed(loaded.plan, {"gauge.level", "gauge.full", "gauge.flow",
                                                     "kiln.%MW0", "kiln.%MW1.3", "kiln.%MW20"}));
    RC_ASSERT(log.has_value());
    std::size_t there = files::request_log_header().size();
    while (there < text.size()) {
      there = std::min(text.size(), there + *rc::gen::inRange<std::size_t>(1, 400));
      folder.write("log.csv", text.substr(0, there));
      log->read_on();
    }
    const files::LogTrends& trends = log->trends();
    RC_ASSERT(trends.rows == rows.size());
    RC_ASSERT(trends.unreadable == 0U);
    // by hand
    std::vector<double> times;
    std::vector<double> level;
    std::vector<double> full;
    std::vector<double> flow;
    std::vector<std::pair<double, double>> gaps;
    bool failed = false;
    for (const LoggedRow& row : rows) {
      if (!row.is_read) {
        if (row.outcome == 0) flow.push_back(static_cast<std::int16_t>(row.words[0]));
        continue;
      }
      if (row.outcome == 1) failed = true;
      if (row.outcome != 0) continue;
      if (!times.empty() && (failed || row.time - times.back() > 2.5)) {
        gaps.emplace_back(times.back(), row.time);
      }
      failed = false;
      times.push_back(row.time);
      level.push_back(row.words[0] / 10.0);
      full.push_back((row.words[1] >> 3U) & 1U);
    }
    const auto same = [](const std::vector<double>& a, const std::vector<double>& b) {
      if (a.size() != b.size()) return false;
      for (std::size_t i = 0; i < a.size(); ++i) {
        if (std::abs(a[i] - b[i]) > 1e-6) return false;
      }
      return true;
    };
    const auto& all = trends.trends;
    RC_ASSERT(same(all[0].value, level));
    RC_ASSERT(same(all[0].time_s, times));
    RC_ASSERT(same(all[1].value, full));
    RC_ASSERT(all[2].value.empty());
    RC_ASSERT(same(all[2].written, flow));
    RC_ASSERT(all[3].value.size() == level.size());
    RC_ASSERT(same(all[4].value, full));
    RC_ASSERT(all[5].written.size() == flow.size());
    RC_ASSERT(all[0].gaps.size() == gaps.size());
    for (std::size_t i = 0; i < gaps.size(); ++i) {
      RC_ASSERT(
          same({gaps[i].first, gaps[i].second}, {all[0].gaps[i].first, all[0].gaps[i].second}));
    }
    RC_ASSERT(all[0].failing == failed);
    const double end = rows.empty() ? 0 : rows.back().time;
    double longest = 0;
    for (std::size_t i = 1; i < times.size(); ++i) {
      longest = std::max(longest, times[i] - times[i - 1]);
    }
    if (failed && !times.empty()) longest = std::max(longest, end - times.back());
    const auto summary = files::summary_of(all[0], trends.end_s);
    RC_ASSERT(summary.has_value() == !times.empty());
    if (summary) RC_ASSERT(std::abs(summary->longest_gap_s - longest) < 1e-6);
  });
}

TEST_CASE("a last row without its end waits, and rows that are none are counted") {
  const auto loaded = followed_plan();
  const test::TemporaryFolder folder;
  const std::string good = LoggedRow{1, true, 0, {10, 0, 0, 0}}.text();
  folder.write("log.csv", files::request_log_header() + good + "x,in,gauge,3,1,good,,1,0001\n" +
                              "2,other,gauge,3,1,good,,1,0001\n" + good.substr(0, good.size() - 2));
  auto log =
      TrendLog::open(folder.file("log.csv"), loaded.plan, followed(loaded.plan, {"gauge.level"}));
  REQUIRE(log);
  log->read_on();
  CHECK(log->trends().rows == 3);
  CHECK(log->trends().unreadable == 2);
  log->take_rest();
  CHECK(log->trends().trends[0].value.size() == 2);
}

TEST_CASE("what cannot be followed is said") {
  const auto loaded = followed_plan();
  const auto said = [&](const std::string& where) {
    const auto point = files::trend_point(loaded.plan, where);
    return point ? std::string("-") : point.error();
  };
  CHECK(said("gauge.levl") == "slave gauge has no point 'levl' (did you mean 'level'?)");
  CHECK(said("gauge.name") == "gauge.name is a text, and no line can be drawn of it");
  CHECK(said("gauge") == "'gauge' names no point; write slave.point (did you mean 'gauge'?)");
  CHECK(said("kiln.%MX\"") ==
        "'kiln.%MX\"' names no place: write a word, a bit or a tag of controller kiln, such as "
        "kiln.%MW0");
}
