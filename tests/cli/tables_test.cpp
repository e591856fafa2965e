// What stands in tables, held against the plan by arithmetic written here.
#include <catch2/catch.hpp>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <set>

#include "files/plan_loader.h"
#include "model/memory_report.h"
#include "plans.h"
#include "tables/plan_tables.h"
#include "tables/timing_tables.h"
#include "timing/report.h"

using namespace greymet;
using namespace greymet::tables;
using Ms = std::chrono::milliseconds;

namespace {

files::LoadedPlan demo() {
  return files::load_plan(GREYMET_EXAMPLES "/maltings.toml", files::disk_files());
}

Cell at(const Table& table, const std::string& first, const std::string& name,
        const std::string& key) {
  std::size_t by = 0;
  std::size_t of = 0;
  for (std::size_t c = 0; c < table.columns.size(); ++c) {
    if (table.columns[c].key == first) by = c;
    if (table.columns[c].key == key) of = c;
  }
  for (const Row& row : table.rows) {
    if (row.cells[by] == Cell(name)) return row.cells[of];
  }
  throw std::runtime_error("no row " + name);
}

}  // namespace

TEST_CASE("who waits how long for a slave is said of its line, its host or its gateway") {
  const auto loaded = demo();
  const Table slaves = slaves_table(loaded.plan);
  CHECK(slaves.rows.size() == loaded.plan.plan.slaves.size());
  CHECK(at(slaves, "slave", "burner", "timeout_ms") == Cell(Duration(Ms(200))));
  CHECK(at(slaves, "slave", "burner", "retries") == Cell(std::int64_t{1}));
  CHECK(at(slaves, "slave", "burner", "line") == Cell(std::string("north")));
  CHECK(at(slaves, "slave", "burner", "host") == Cell());
  // behind the gateway its master waits for the gateway
  CHECK(at(slaves, "slave", "weather", "timeout_ms") == Cell(Duration(Ms(2000))));
  CHECK(at(slaves, "slave", "weather", "retries") == Cell(std::int64_t{0}));
  CHECK(at(slaves, "slave", "air", "host") == Cell(std::string("10.20.0.31")));
  CHECK(at(slaves, "slave", "air", "mode") == Cell(std::string("tcp")));
  CHECK(at(slaves, "slave", "air", "medium") == Cell());
}

TEST_CASE("what to set on controllers: as masters, as clients, and where they answer") {
  const auto loaded = demo();
  const Table masters = masters_table(loaded.plan);
  const auto cell = [&](const std::string& role, const std::string& where, const std::string& key) {
    for (const Row& row : masters.rows) {
      if (row.cells[3] == Cell(role) && row.cells[4] == Cell(where)) {
        for (std::size_t c = 0; c < masters.columns.size(); ++c) {
          if (masters.columns[c].key == key) return row.cells[c];
        }
      }
    }
    throw std::runtime_error("no row " + role + " " + where);
  };
  CHECK(cell("master", "north (/dev/ttyUSB0)", "timeout_ms") == Cell(Duration(Ms(200))));
  CHECK(cell("master", "north (/dev/ttyUSB0)", "retries") == Cell(std::int64_t{1}));
  CHECK(cell("master", "north (/dev/ttyUSB0)", "controller") == Cell(std::string("kiln")));
  // a master has no unit; where a tool asks for one, it has to be free
  CHECK(cell("master", "north (/dev/ttyUSB0)", "unit") == Cell(std::string("none; 247 is free")));
  CHECK(cell("client", "10.20.0.31:502", "timeout_ms") ==
        at(slaves_table(loaded.plan), "slave", "air", "timeout_ms"));
  CHECK(cell("client", "10.20.0.31:502", "who") == Cell(Words{"air"}));
  std::size_t lines = 0;
  for (const auto& line : loaded.plan.exchange.lines) lines += line.master ? 1U : 0U;
  std::size_t answers = 0;
  for (const auto& c : loaded.plan.exchange.controllers) answers += c.answers.size();
  const auto count = [&](const char* role) {
    return static_cast<std::size_t>(
        std::count_if(masters.rows.begin(), masters.rows.end(),
                      [&](const Row& r) { return r.cells[3] == Cell(std::string(role)); }));
  };
  CHECK(count("master") == lines);
  CHECK(count("answers") == answers);
  CHECK(count("client") == loaded.plan.exchange.connections.size());
}

TEST_CASE("a transaction stands with both its halves, its memory and the tags that lie there") {
  const auto loaded = demo();
  const Table rows = transactions_table(loaded.plan);
  CHECK(at(rows, "name", "moisture-in", "order") == Cell(std::int64_t{14}));
  CHECK(at(rows, "name", "moisture-in", "read_reference") == Cell(std::string("400001")));
  CHECK(at(rows, "name", "moisture-in", "into") == Cell(std::string("%MW100..%MW107")));
  CHECK(at(rows, "name", "moisture-in", "write_at") == Cell());
  CHECK(at(rows, "name", "moisture-in", "tags") ==
        Cell(Words{"moisture_grain_moisture", "moisture_grain_temp", "moisture_air_on_temp",
                   "moisture_bed_depth"}));
  CHECK(at(rows, "name", "burner-set", "from") == Cell(std::string("%MW1010..%MW1015")));
  CHECK(at(rows, "name", "burner-set", "read_at") == Cell());
  CHECK(at(rows, "name", "burner-set", "period_ms") == Cell(Duration(Ms(1000))));
  CHECK(at(rows, "name", "burner-set", "min_gap_ms") == Cell());
}

TEST_CASE("used and free words of a controller make up its whole memory") {
  const auto loaded = demo();
  const auto report = model::memory_report(loaded.plan);
  const Table rows = memory_table(loaded.plan, report);
  for (const auto& controller : report.controllers) {
    const std::string& name = loaded.plan.plan.controllers[controller.controller].name;
    for (const auto& store : controller.stores) {
      std::int64_t free = 0;
      for (const Row& row : rows.rows) {
        const bool here = row.cells[0] == Cell(name) && row.cells[1] == Cell(store.name);
        if (here && row.cells[4] == Cell(std::string("free"))) {
          free += std::get<std::int64_t>(row.cells[3]);
          CHECK(row.cells[5] == Cell());
        }
      }
      INFO(name << " " << store.name);
      CHECK(free == store.count - store.used);
    }
  }
}

TEST_CASE("times of a transaction are the sums of its characters, and tightness a share") {
  const auto loaded = demo();
  const auto report = timing::analyse(loaded.plan, {});
  const Table rows = timing_table(report);
  // 8 and 47 bytes of 11 bits at 19,200 baud, 5 ms of reply, 3.5 characters of gap, in ns
  const double character = 11e9 / 19'200;
  const double typical =
      std::ceil(8 * character) + std::ceil(47 * character) + 5e6 + std::ceil(3.5 * character);
  const auto said = std::get<Duration>(at(rows, "name", "burner-in", "typical_ms"));
  CHECK(std::abs(static_cast<double>(said.count()) - typical) < 5);
  CHECK(at(rows, "name", "burner-in", "request_bytes") == Cell(std::int64_t{8}));
  CHECK(at(rows, "name", "burner-in", "reply_bytes") == Cell(std::int64_t{47}));
  for (const timing::LineReport& line : report.lines) {
    for (const timing::TransactionReport& t : line.transactions) {
      const Cell cell = at(rows, "name", t.name, "tightness");
      const Cell seen = at(rows, "name", t.name, "response_simulated_ms");
      const Cell bound = at(rows, "name", t.name, "response_bound_ms");
      INFO(t.name);
      if (seen.index() == 0 || bound.index() == 0) {
        CHECK(cell == Cell());
      } else {
        CHECK(std::get<double>(cell) ==
              Approx(static_cast<double>(std::get<Duration>(seen).count()) /
                     static_cast<double>(std::get<Duration>(bound).count())));
        CHECK(std::get<double>(cell) <= 1);
      }
    }
  }
}

TEST_CASE(
    "verdicts have the colour of what they say, and nothing is noticed that nobody asks for") {
  const auto loaded = test::load(test::base_plan() + R"([exchange]
transactions = [
  { name = "cyclic", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s" },
  { name = "seldom", slave = "pump", fc = 6, at = 0, from = "%MW20", on = "change", min_gap = "2s" },
]
)",
                                 test::base_files());
  const auto report = timing::analyse_longest(loaded.plan);
  const auto slave = [&](const std::string& name) {
    for (std::size_t s = 0; s < loaded.plan.plan.slaves.size(); ++s) {
      if (loaded.plan.plan.slaves[s].name == name) return s;
    }
    throw std::runtime_error("no slave " + name);
  };
  const auto noticed = noticed_at_the_latest(loaded.plan, report, {false, slave("gauge"), 0});
  REQUIRE(noticed);
  CHECK(*noticed > Ms(1000));
  CHECK_FALSE(noticed_at_the_latest(loaded.plan, report, {false, slave("pump"), 0}));
  const auto plan = demo();
  const auto whole = timing::analyse(plan.plan, {});
  const Table ages = tag_ages_table(whole);
  REQUIRE(ages.rows.size() == 4);
  for (const Row& row : ages.rows) {
    CHECK(std::get<State>(row.cells[4]).word == "good");
    CHECK(std::get<State>(row.cells[4]).mood == Mood::good);
    CHECK(row.mood == Mood::plain);
  }
  for (const Row& row : silent_slaves_table(plan.plan, whole).rows) {
    const bool alone = std::set<std::string>{"bridge", "loadout", "air", "steam"}.count(
                           std::get<std::string>(row.cells[0])) > 0;
    CHECK(row.cells[4] == Cell(!alone));
  }
}

TEST_CASE("the lightest columns go first, the last of several, and never what has to stay") {
  Table table{"t", "", {}, {}};
  for (const auto& [key, weight] :
       std::vector<std::pair<const char*, int>>{{"a", 9}, {"b", 3}, {"c", 1}, {"d", 1}, {"e", 9}}) {
    table.columns.push_back({key, key, Kind::text, "something", weight});
  }
  const std::vector<std::size_t> widths{10, 10, 10, 10, 10};
  const auto left = [&](std::size_t room) {
    std::vector<std::size_t> columns{0, 1, 2, 3, 4};
    const auto gone = take_out_lightest(table, columns, widths, room);
    CHECK(gone.size() + columns.size() == 5);
    return columns;
  };
  CHECK(left(50) == std::vector<std::size_t>{0, 1, 2, 3, 4});
  CHECK(left(49) == std::vector<std::size_t>{0, 1, 2, 4});
  CHECK(left(30) == std::vector<std::size_t>{0, 1, 4});
  CHECK(left(29) == std::vector<std::size_t>{0, 4});
  CHECK(left(5) == std::vector<std::size_t>{0, 4});
}
