#include "packing/pack.h"

#include <algorithm>
#include <chrono>

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;
using namespace greymet::packing;
using test::replaced;

namespace {

std::string wants(const std::string& rows, const std::string& transactions = "") {
  return test::base_plan() + "[exchange]\ntransactions = [" + transactions + "]\nwants = [" + rows +
         "]\n";
}

std::string want(const std::string& slave, const std::string& points, const std::string& every,
                 const std::string& into) {
  return "{ slave = \"" + slave + "\", points = [" + points + "], every = \"" + every +
         "\", into = \"" + into + "\" }";
}

PackResult packed(const std::string& plan, const std::vector<std::string>& extra = {}) {
  auto files = test::base_files();
  for (const auto& row : extra) files["gauge.csv"] += row;
  const auto loaded = test::load(plan, files);
  for (const auto& f : loaded.findings) FAIL(f.message);
  return pack(loaded.plan);
}

std::vector<std::string> rows_of(const PackResult& result) {
  std::vector<std::string> rows;
  for (const PackedRequest& r : result.requests) {
    rows.push_back(to_text(r.at) + "+" + std::to_string(r.quantity) + " " + r.declared.into->value);
  }
  return rows;
}

std::vector<std::string> problems_of(const PackResult& result) {
  std::vector<std::string> texts;
  for (const PackProblem& p : result.problems) texts.push_back(p.message + " | " + p.remedy);
  return texts;
}

}  // namespace

TEST_CASE("wanted points become blocks of the slave's areas, in memory one behind the other") {
  const auto result =
      packed(wants(want("gauge", "\"moisture\", \"temp\", \"low\", \"raw*\"", "1s", "%MW500")));
  CHECK(result.problems.empty());
  // hr 8 and 9 are not listed and the map is complete: the read must not touch them
  CHECK(rows_of(result) ==
        std::vector<std::string>{"ir:0+4 %MW500", "hr:0+4 %MW504", "hr:10+1 %MW508"});
  CHECK(result.requests[1].points == std::vector<std::string>{"moisture", "temp"});
  CHECK(result.requests[1].declared.name == "gauge-moisture");
  CHECK(result.before.requests == 2 + 1 + 4);
  CHECK(result.after.requests == 3);
  CHECK(result.after.utilisation_percent < result.before.utilisation_percent);
  CHECK(*result.after.response_bound < *result.before.response_bound);
  CHECK(result.least);
  REQUIRE(result.lines.size() == 1);
  CHECK(result.lines[0].missed == 0);
  CHECK(*result.lines[0].response_simulated <= *result.lines[0].after.response_bound);
}

TEST_CASE("holes are read over where the slave lets it, and limits are kept") {
  const std::string rows = want("gauge", "\"count\", \"low\"", "1s", "%MW500");
  CHECK(rows_of(packed(wants(rows))).size() == 2);
  const auto zero =
      replaced(wants(rows), "map_covers = \"all\"", "map_covers = \"all\"\nholes = \"zero\"");
  CHECK(rows_of(packed(zero)) == std::vector<std::string>{"hr:6+5 %MW500"});
  const auto some = replaced(wants(rows), "map_covers = \"all\"", "map_covers = \"some\"");
  // of what such a map does not list nobody knows whether the slave answers
  CHECK(rows_of(packed(some)).size() == 2);
  CHECK(rows_of(packed(replaced(zero, "map_covers", "max_read = 4\nmap_covers"))).size() == 2);
  // a point that can only be written lies between
  const auto over = replaced(zero, "\"low\"", "\"serial\"");
  CHECK(rows_of(packed(over)).size() == 2);
}

TEST_CASE("a listed value of several registers is never cut") {
  // 'half' is the second register of 'count': the request takes all of it
  const auto result =
      packed(wants(want("gauge", "\"half\"", "1s", "%MW500")), {"half,hr,7,u16,r\n"});
  CHECK(rows_of(result) == std::vector<std::string>{"hr:6+2 %MW500"});
}

TEST_CASE("slow points ride along with quick ones where that costs less") {
  const auto with = [](const std::string& slow) {
    return rows_of(packed(wants(want("gauge", "\"moisture\"", "200ms", "%MW") + ", " +
                                want("gauge", "\"temp\"", slow, "%MW"))));
  };
  CHECK(with("400ms") == std::vector<std::string>{"hr:0+4 %MW0"});
  CHECK(with("60s") == std::vector<std::string>{"hr:0+2 %MW0", "hr:2+2 %MW2"});
}

TEST_CASE(
    "wants that say different things of loss or place stay apart, and what that costs is said") {
  const auto with = [](const std::string& places, const std::string& other, const char* losses) {
    const std::string one = want("gauge", "\"moisture\"", "1s", places);
    const std::string two = want("gauge", "\"temp\"", "1s", other);
    const auto loss = [](std::string row, char letter) {
      const std::string word = letter == 'z' ? "zero" : letter == 'h' ? "hold" : "";
      if (word.empty()) return row;
      return row.replace(row.find(" }"), 2, ", on_loss = \"" + word + "\" }");
    };
    return packed(wants(loss(one, losses[0]) + ", " + loss(two, losses[1])));
  };
  CHECK(rows_of(with("%MW", "%MW", "hh")) == std::vector<std::string>{"hr:0+4 %MW0"});
  CHECK(with("%MW", "%MW", "hh").kept_apart.empty());
  const PackResult apart = with("%MW", "%MW", "zh");
  CHECK(rows_of(apart) == std::vector<std::string>{"hr:0+2 %MW0", "hr:2+2 %MW2"});
  CHECK(apart.requests[0].declared.on_loss->value == model::OnLoss::zero);
  CHECK(apart.requests[1].declared.on_loss->value == model::OnLoss::hold);
  REQUIRE(apart.kept_apart.size() == 1);
  CHECK(apart.kept_apart[0].wants == std::vector<std::size_t>{1, 2});
  CHECK(apart.kept_apart[0].more_requests == 1);
  // 8 characters to ask, 5 to answer beside the registers, t3.5 behind them, 20 ms to reply
  // reply
  const double overhead = (8 + 5 + 3.5) * 11 / 19.2 + 20;
  CHECK(apart.kept_apart[0].line_percent == Approx(overhead / 10).epsilon(0.01));
  CHECK(rows_of(with("%MW", "%MW", "z-")) ==
        std::vector<std::string>{"hr:0+2 %MW0", "hr:2+2 %MW2"});
  CHECK(rows_of(with("%MW20", "%MW0", "hh")) ==
        std::vector<std::string>{"hr:0+2 %MW20", "hr:2+2 %MW0"});
}

// Whatever is wanted: each point comes as often as its want says, to its place, with its loss.
TEST_CASE("every packed point keeps what its want says") {
  const std::vector<std::string> points{"moisture", "temp", "state", "code", "count", "low",
                                        "high",     "mode", "raw1",  "raw2", "raw3",  "raw4"};
  rc::prop("points of one map, wants of every kind", [&] {
    std::vector<std::string> left = points;
    std::string rows;
    struct Said {
      std::string point;
      model::Duration every;
      std::optional<model::OnLoss> loss;
      std::int64_t first;  // of its own hundred words; -1: anywhere
    };
    std::vector<Said> said;
    const int count = *rc::gen::inRange(1, 6);
    for (int w = 0; w < count; ++w) {
      const int ms = *rc::gen::element(200, 500, 1000, 5000);
      const int loss = *rc::gen::inRange(0, 3);
      const bool placed = *rc::gen::arbitrary<bool>();
      std::string names;
      for (int k = *rc::gen::inRange(1, 5); k > 0 && !left.empty(); --k) {
        const auto at = *rc::gen::inRange<std::size_t>(0, left.size());
        names += (names.empty() ? "\"" : ", \"") + left[at] + "\"";
        said.push_back({left[at], std::chrono::milliseconds(ms),
                        loss == 0   ? std::nullopt
                        : loss == 1 ? std::optional(model::OnLoss::zero)
                                    : std::optional(model::OnLoss::hold),
                        placed ? 100 + 100 * w : -1});
        left.erase(left.begin() + static_cast<std::ptrdiff_t>(at));
      }
      if (names.empty()) continue;
      std::string row = want("gauge", names, std::to_string(ms) + "ms",
                             placed ? "%MW" + std::to_string(100 + 100 * w) : "%MW");
      if (loss > 0) {
        row.replace(row.find(" }"), 2,
                    std::string(", on_loss = \"") + (loss == 1 ? "zero" : "hold") + "\" }");
      }
      rows += (rows.empty() ? "" : ", ") + row;
    }
    const PackResult result = packed(wants(rows));
    RC_LOG() << rows;
    for (const Said& each : said) {
      const bool kept =
          std::any_of(result.requests.begin(), result.requests.end(), [&](const PackedRequest& r) {
            const bool brings =
                std::find(r.points.begin(), r.points.end(), each.point) != r.points.end();
            const auto& loss = r.declared.on_loss;
            const std::int64_t number = std::stol(r.declared.into->value.substr(3));
            return brings && r.every <= each.every &&
                   (loss ? std::optional(loss->value) : std::nullopt) == each.loss &&
                   (each.first < 0 || (number >= each.first && number < each.first + 100));
          });
      RC_ASSERT(kept);
    }
  });
}

TEST_CASE("bits go into words by packing, an area alone takes the next free words") {
  const auto result = packed(wants(want("gauge", "\"lamp\", \"horn\"", "1s", "%MW") + ", " +
                                       want("gauge", "\"code\"", "1s", "%MW"),
                                   R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 2, )"
                                   R"(into = "%MW0", every = "1s", on_loss = "hold" })"));
  CHECK(rows_of(result) == std::vector<std::string>{"co:0+2 %MW2", "hr:5+1 %MW3"});
  CHECK(result.requests[0].declared.packing.has_value());
  CHECK_FALSE(result.requests[1].declared.packing.has_value());
}

TEST_CASE("new requests take phases in which they wait least") {
  // one request of 1 s beside another released at 0: any phase after its end will do
  const auto result = packed(wants(want("pump", "\"speed\"", "1s", "%MW500"),
                                   R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 2, )"
                                   R"(into = "%MW0", every = "1s", on_loss = "hold" })"));
  REQUIRE(result.requests.size() == 1);
  CHECK(result.phases_exact);
  // t takes (8 + 9) x 11 / 19.2 + 20 + 3.5 x 11 / 19.2 = 31.7 ms
  CHECK(result.requests[0].phase == std::chrono::milliseconds(40));
}

TEST_CASE("what cannot be packed is said, with a cure") {
  CHECK(
      problems_of(packed(wants(want("gauge", "\"reset\"", "1s", "%MW500")))) ==
      std::vector<std::string>{"'reset' of slave gauge cannot be read | leave it out of the want"});
  CHECK(problems_of(packed(replaced(wants(want("gauge", "\"raw1\"", "1s", "%MW500")), "map_covers",
                                    "functions = [3]\nmap_covers"))) ==
        std::vector<std::string>{
            "'raw1' needs function 4, which slave gauge does not implement | leave it out of the "
            "want, or correct `functions` of the slave"});
  CHECK(problems_of(packed(
            wants(replaced(want("gauge", "\"code\"", "1s", "%MW5"), ", into = \"%MW5\"", "")))) ==
        std::vector<std::string>{
            "nothing says where its values go | add into = \"%MW100\", or "
            "into = \"%MW\" for the next free words; a want that writes has `from`"});
  CHECK(problems_of(packed(wants(want("gauge", "\"code\"", "1s", "%MX5")))) ==
        std::vector<std::string>{"registers are to go into bits | let them go into words; the "
                                 "program takes the bits from there"});
  // memory that another read fills
  const auto overlap =
      packed(wants(want("gauge", "\"code\"", "1s", "%MW1"),
                   R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW0", )"
                   R"(every = "1s", on_loss = "hold" })"));
  REQUIRE(overlap.problems.size() == 1);
  CHECK(overlap.problems[0].message.find("gauge-code would be wrong (M01)") != std::string::npos);
}

TEST_CASE("each wanted point comes with one request, the slowest that brings it") {
  const auto result = packed(wants(want("gauge", "\"moisture\"", "200ms", "%MW500") + ", " +
                                   want("gauge", "\"temp\", \"state\", \"code\"", "60s", "%MW600") +
                                   ", " + want("gauge", "\"count\"", "300ms", "%MW700")));
  std::vector<std::string> brought;
  for (const PackedRequest& r : result.requests) {
    brought.insert(brought.end(), r.points.begin(), r.points.end());
  }
  std::sort(brought.begin(), brought.end());
  CHECK(brought == std::vector<std::string>{"code", "count", "moisture", "state", "temp"});
  // a slow request that reads over a quick value does not count as its own
  const auto over = packed(wants(want("gauge", "\"temp\", \"code\"", "60s", "%MW500") + ", " +
                                 want("gauge", "\"state\"", "200ms", "%MW600")));
  REQUIRE(over.requests.size() == 2);
  for (const PackedRequest& r : over.requests) {
    const bool quick = r.every == std::chrono::milliseconds(200);
    CHECK(r.points ==
          (quick ? std::vector<std::string>{"state"} : std::vector<std::string>{"temp", "code"}));
  }
}

TEST_CASE("readable points between are read through, also where all is listed") {
  CHECK(rows_of(packed(wants(want("gauge", "\"low\", \"mode\"", "1s", "%MW500")))) ==
        std::vector<std::string>{"hr:10+3 %MW500"});
}

TEST_CASE(
    "memory: words behind one another, bits in sixteens, even words where the controller asks") {
  const auto bits =
      packed(replaced(wants(want("gauge", "\"lamp\", \"far\"", "1s", "%MW500")),
                      "map_covers = \"all\"", "map_covers = \"all\"\nmax_read_bits = 20"),
             {"far,co,60,bool,r\n", "farther,co,59,bool,r\n"});
  CHECK(rows_of(bits) == std::vector<std::string>{"co:0+1 %MW500", "co:60+1 %MW501"});
  auto files = test::base_files();
  files["m.toml"] = "align32 = true\n";
  const auto plan = replaced(wants(want("gauge", "\"code\", \"low\", \"serial\"", "1s", "%MW501")),
                             "scan = \"10ms\"\n", "scan = \"10ms\"\nmodel = \"m.toml\"\n");
  const auto loaded = test::load(plan, files);
  // 501 is odd: 502; then 503 is, so 504
  CHECK(rows_of(pack(loaded.plan)) ==
        std::vector<std::string>{"hr:5+1 %MW502", "hr:10+1 %MW504", "hr:30+1 %MW506"});
}

TEST_CASE("the controller is named where nothing else tells it, a phase where it is not 0") {
  const std::string second =
      "[controller.other]\nscan = \"10ms\"\n[controller.other.memory]\n\"%MW\" = { kind = "
      "\"word\", first = 0, count = 100 }\n[slave.remote]\nhost = \"10.20.0.9\"\nmap = "
      "\"pump.csv\"\n[exchange]";
  const auto result =
      packed(replaced(wants(want("pump", "\"speed\"", "1s", "%MW500") +
                            ", { slave = \"remote\", points = [\"power\"], every = \"1s\", into = "
                            "\"%MW50\", controller = \"other\" }"),
                      "[exchange]", second));
  REQUIRE(result.requests.size() == 2);
  for (const PackedRequest& r : result.requests) {
    const bool remote = r.declared.slave->value == "remote";
    CHECK(r.declared.controller.has_value() == remote);
    if (remote) CHECK(r.declared.controller->value == "other");
    // each has its line for itself
    CHECK(r.phase == std::chrono::milliseconds(0));
    CHECK_FALSE(r.declared.phase.has_value());
  }
}

TEST_CASE("a slave whose requests nobody can time is said, and the others are packed") {
  auto text = replaced(
      wants(want("pump", "\"speed\"", "1s", "%MW500") + ", " +
            want("far", "\"power\"", "1s", "%MW600")),
      "[exchange]",
      "[line.bare]\nmaster = \"kiln\"\nmode = \"rtu\"\nformat = \"8E1\"\n[slave.far]\nline = "
      "\"bare\"\nunit = 3\nmap = \"pump.csv\"\n[exchange]");
  const auto result = pack(test::load(text, test::base_files()).plan);
  REQUIRE(result.problems.size() == 1);
  CHECK(result.problems[0].message == "the time of a request to slave far is not known");
  CHECK(rows_of(result) == std::vector<std::string>{"hr:0+1 %MW500"});
}

TEST_CASE("before and after are what the two exchanges would be, side by side") {
  // three values: 1 register each 8 + 7 characters; one request of 7 registers: 8 + 19
  const auto ms = [](Duration d) { return static_cast<double>(d.count()) / 1e6; };
  const double character = 11 / 19.2;
  const double rest = 20 + 3.5 * character;
  for (const std::string sends : {"anytime", "scan"}) {
    auto text = wants(want("gauge", "\"state\", \"code\", \"count\"", "1s", "%MW500"),
                      R"({ name = "t", slave = "pump", fc = 3, at = 0, count = 2, )"
                      R"(into = "%MW0", every = "1s", on_loss = "hold" })"
                      R"(, { name = "u", slave = "air", fc = 3, at = 0, count = 2, )"
                      R"(into = "%MW10", every = "1s", on_loss = "hold" })");
    text = replaced(text, "[exchange]", "[slave.air]\nhost = \"10.20.0.31\"\n[exchange]");
    text = replaced(text, "scan = \"10ms\"\n", "scan = \"10ms\"\nsends = \"" + sends + "\"\n");
    const auto result = packed(text);
    REQUIRE(result.requests.size() == 1);
    CHECK(result.lines.size() == 1);  // the connection has nothing to do with it
    CHECK(result.before.requests == 3);
    const double own = 17 * character + rest;  // t: 31.74
    const double ones = 2 * (15 * character + rest) + 17 * character + rest;
    const double packed_ms = 21 * character + rest;  // hr:4+4
    if (sends == "anytime") {
      CHECK(ms(*result.before.response_bound) == Approx(own + ones).epsilon(1e-6));
      CHECK(ms(*result.after.response_bound) == Approx(own + packed_ms).epsilon(1e-6));
      CHECK(result.before.utilisation_percent == Approx((own + ones) / 10).epsilon(1e-6));
    } else {
      // whole scans of 10 for all but the last, and a first wait of 10
      CHECK(ms(*result.before.response_bound) == Approx(10 + 40 + 40 + 40 + own).epsilon(1e-6));
      CHECK(ms(*result.after.response_bound) == Approx(10 + 40 + packed_ms).epsilon(1e-6));
    }
  }
}
