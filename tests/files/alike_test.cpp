// Slaves that are written once, against the same plan written out by hand.
#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "files/cures.h"
#include "files/exchange_export.h"
#include "model/unfold_alike.h"
#include "packing/pack.h"
#include "plans.h"

using namespace greymet;

namespace {

const test::Files drive_map{{"drive.csv",
                             "point,area,address,type,access\nstatus,hr,0,u16,r\nspeed,hr,1,u16,r\n"
                             "current,hr,2,u16,r\nfault,hr,3,u16,r\nsetpoint,hr,10,u16,rw\n"
                             "ramp,hr,11,u16,rw\n"}};

const std::string fan_plant = R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 4000 }
"%MX" = { kind = "bit", first = 0, count = 2000 }
[line.north]
master = "kiln"
mode = "rtu"
baud = 115200
format = "8E1"
)";

// One row, as it is written once, and the numbers of the same row for slave k by the documents.
struct Row {
  int into = 0;
  int count = 0;
  std::optional<int> step;
  std::optional<int> busy;
  int phase = 0;
  int phase_step = 0;
};

struct Sample {
  int slaves = 1;
  int first_unit = 1;
  std::vector<Row> rows;
};

rc::Gen<Sample> samples() {
  return rc::gen::exec([] {
    Sample s;
    s.slaves = *rc::gen::inRange(1, 9);
    s.first_unit = *rc::gen::inRange(1, 200);
    const int rows = *rc::gen::inRange(1, 4);
    for (int i = 0; i < rows; ++i) {
      Row row;
      row.into = 500 * i;
      row.count = *rc::gen::inRange(1, 5);
      if (*rc::gen::arbitrary<bool>()) row.step = *rc::gen::inRange(0, 40);
      if (*rc::gen::arbitrary<bool>()) row.busy = 100 + *rc::gen::inRange(0, 10);
      row.phase = *rc::gen::inRange(0, 3) * 10;
      row.phase_step = *rc::gen::inRange(0, 3) * 10;
      s.rows.push_back(row);
    }
    return s;
  });
}

std::string row_text(const std::string& name, const std::string& slave, const Row& row,
                     const std::string& into, const std::string& busy, int phase,
                     const std::string& more) {
  std::string text = fmt::format(
      "  {{ name = \"{}\", slave = \"{}\", fc = 3, at = 0, count = {}, into = \"{}\", every = "
      "\"1s\", phase = \"{}ms\", on_loss = \"hold\"{}",
      name, slave, row.count, into, phase, more);
  if (row.busy) text += fmt::format(", status = {{ busy = \"{}\" }}", busy);
  return text + " },\n";
}

std::string written_once(const Sample& s) {
  std::string plan = fan_plant + fmt::format(
                                     "[slave.fan]\ncount = {}\nline = \"north\"\nunit = {}\nmap "
                                     "= \"drive.csv\"\n[exchange]\ntransactions = [\n",
                                     s.slaves, s.first_unit);
  for (std::size_t i = 0; i < s.rows.size(); ++i) {
    const Row& row = s.rows[i];
    const std::string step = row.step ? fmt::format("+{}", *row.step) : "";
    plan += row_text(fmt::format("fan-{}", i), "fan", row, fmt::format("%MW{}{}", row.into, step),
                     fmt::format("%MX{}", row.busy.value_or(0)), row.phase,
                     fmt::format(", phase_step = \"{}ms\"", row.phase_step));
  }
  return plan + "]\n";
}

// The documents, slowly: registers side by side unless a step is written; status bits as far apart
// as all status bits of these rows take.
std::string written_out(const Sample& s) {
  int least = 1000;
  int most = 0;
  for (const Row& row : s.rows) {
    if (row.busy) least = std::min(least, *row.busy);
    if (row.busy) most = std::max(most, *row.busy);
  }
  std::string plan = fan_plant;
  for (int k = 0; k < s.slaves; ++k) {
    plan += fmt::format("[slave.fan{}]\nline = \"north\"\nunit = {}\nmap = \"drive.csv\"\n", k + 1,
                        s.first_unit + k);
  }
  plan += "[exchange]\ntransactions = [\n";
  for (std::size_t i = 0; i < s.rows.size(); ++i) {
    const Row& row = s.rows[i];
    for (int k = 0; k < s.slaves; ++k) {
      plan += row_text(fmt::format("fan{}-{}", k + 1, i), fmt::format("fan{}", k + 1), row,
                       fmt::format("%MW{}", row.into + k * row.step.value_or(row.count)),
                       fmt::format("%MX{}", row.busy.value_or(0) + k * (most - least + 1)),
                       row.phase + k * row.phase_step, "");
    }
  }
  return plan + "]\n";
}

std::string exchange_of(const std::string& plan, const test::Files& files = drive_map) {
  const files::LoadedPlan loaded = test::load(plan, files);
  std::string all;
  for (const auto& f : loaded.findings) all += f.message + "\n";
  INFO(plan);
  CHECK(all.empty());
  return files::exchange_json(loaded.plan);
}

std::vector<std::string> reading_findings(const std::string& plan) {
  return test::findings_of(fan_plant + plan, drive_map, "P");
}

const std::string three_fans =
    "[slave.fan]\ncount = 3\nline = \"north\"\nunit = 1\nmap = \"drive.csv\"\n";

}  // namespace

TEST_CASE("slaves written once are the slaves written out") {
  rc::prop("their exchanges are the same, byte by byte", [] {
    const Sample s = *samples();
    RC_ASSERT(exchange_of(written_once(s)) == exchange_of(written_out(s)));
  });
}

TEST_CASE("a slave that is like another takes over what it does not say, and its rows") {
  const std::string once = fan_plant + R"([slave.fan1]
line = "north"
unit = 3
map = "drive.csv"
word_order = "CDAB"
[slave.fan2]
like = "fan1"
unit = 9
[slave.roof]
like = "fan1"
unit = 20
offset = 300
word_order = "ABCD"
[slave.hall]
like = "fan1"
unit = 21
offset = { "%MX" = 64, "%MW" = 400 }
[exchange]
transactions = [
  { name = "fan1-in", slave = "fan1", fc = 3, at = 0, count = 4, into = "%MW100", every = "1s", on_loss = "hold" },
  { name = "speeds", slave = "fan1", fc = 16, at = "setpoint", count = 2, from = "%MW200+10", on = "%MX7", min_gap = "1s", status = { done = "%MX40" } },
  { name = "own", slave = "fan1", alone = true, fc = 3, at = 0, count = 1, into = "%MW0", every = "5s", on_loss = "hold" },
]
)";
  const auto slave = [](const std::string& name, int unit, const std::string& order) {
    return fmt::format(
        "[slave.{}]\nline = \"north\"\nunit = {}\nmap = \"drive.csv\"\nword_order = \"{}\"\n", name,
        unit, order);
  };
  const auto in = [](const std::string& name, const std::string& of, int into) {
    return fmt::format(
        "  {{ name = \"{}\", slave = \"{}\", fc = 3, at = 0, count = 4, into = \"%MW{}\", every = "
        "\"1s\", on_loss = \"hold\" }},\n",
        name, of, into);
  };
  const auto speeds = [](int number, const std::string& of, int from, int done, int on) {
    return fmt::format(
        "  {{ name = \"speeds-{}\", slave = \"{}\", fc = 16, at = \"setpoint\", count = 2, from = "
        "\"%MW{}\", on = \"%MX{}\", min_gap = \"1s\", status = {{ done = \"%MX{}\" }} }},\n",
        number, of, from, on, done);
  };
  const std::string out =
      fan_plant + slave("fan1", 3, "CDAB") + slave("fan2", 9, "CDAB") + slave("roof", 20, "ABCD") +
      slave("hall", 21, "CDAB") + "[exchange]\ntransactions = [\n" + in("fan1-in", "fan1", 100) +
      in("fan2-in", "fan2", 104) + in("roof-in", "roof", 400) + in("hall-in", "hall", 500) +
      speeds(1, "fan1", 200, 40, 7) + speeds(2, "fan2", 210, 41, 7) +
      speeds(3, "roof", 500, 340, 7) + speeds(4, "hall", 600, 104, 7) +
      "  { name = \"own\", slave = \"fan1\", fc = 3, at = 0, count = 1, into = \"%MW0\", every = "
      "\"5s\", on_loss = \"hold\" },\n]\n";
  CHECK(exchange_of(once) == exchange_of(out));
}

TEST_CASE("slaves count on by unit, by host, and in their names") {
  const auto slaves_of = [](const std::string& table) {
    std::string text;
    const files::LoadedPlan loaded = test::load(table);
    for (const model::Slave& s : loaded.plan.plan.slaves) {
      text += fmt::format("{} {} {}, ", s.name, s.host ? s.host->value : "",
                          model::value_or(s.unit, std::int64_t{-1}));
    }
    return text;
  };
  CHECK(slaves_of("[slave.fan]\ncount = 3\nhost = \"10.20.0.31\"\n") ==
        "fan1 10.20.0.31 -1, fan2 10.20.0.32 -1, fan3 10.20.0.33 -1, ");
  CHECK(slaves_of("[slave.fan]\ncount = 2\nhost = \"10.20.0.31\"\nunit = 4\n") ==
        "fan1 10.20.0.31 4, fan2 10.20.0.32 4, ");
  CHECK(slaves_of("[slave.fan]\ncount = 2\ncounts = \"unit\"\nhost = \"10.20.0.31\"\nunit = 4\n") ==
        "fan1 10.20.0.31 4, fan2 10.20.0.31 5, ");
  CHECK(slaves_of("[slave.drive07]\ncount = 4\nline = \"north\"\nunit = 7\n") ==
        "drive07  7, drive08  8, drive09  9, drive10  10, ");
}

TEST_CASE("what cannot be alike is said, with its place") {
  using AlikeTexts = std::vector<std::string>;
  CHECK(
      reading_findings("[slave.fan]\ncount = 3\nhost = \"10.20.0.253\"\n") ==
      AlikeTexts{"error P05 13:8 slave fan3: '10.20.0.253' cannot be counted on to the address of "
                 "fan3"});
  CHECK(reading_findings("[slave.a]\nlike = \"fan\"\n[slave.fun]\nline = \"north\"\nunit = 1\n") ==
        AlikeTexts{
            "error P03 12:8 slave a: there is no slave 'fan' to be like (did you mean 'fun'?)"});
  CHECK(reading_findings("[slave.a]\nlike = \"a\"\nline = \"north\"\nunit = 1\n") ==
        AlikeTexts{"error P05 12:8 slave a: a slave cannot be `like` itself"});
  CHECK(reading_findings("[slave.a]\nline = \"north\"\nunit = 1\n[slave.b]\nlike = \"a\"\nunit = "
                         "2\n[slave.c]\nlike = \"b\"\nline = \"north\"\nunit = 3\n") ==
        AlikeTexts{"error P05 18:8 slave c: b is itself like a"});
  CHECK(reading_findings("[slave.a]\ncount = 0\nline = \"north\"\nunit = 1\n") ==
        AlikeTexts{"error P05 12:9 slave a: `count` is 0"});
  CHECK(
      reading_findings("[slave.a]\noffset = 4\ncounts = \"unit\"\nline = \"north\"\nunit = 1\n") ==
      AlikeTexts{"error P05 12:10 slave a: `offset` goes with `like`",
                 "error P05 13:10 slave a: `counts` goes with `count`"});
  CHECK(reading_findings(
            "[slave.a]\nline = \"north\"\nunit = 1\n[exchange]\ntransactions = [\n{ name = \"r\", "
            "slave = \"a\", fc = 3, at = 0, count = 1, into = \"%MW0+4\", every = \"1s\" },\n]\n")
            .front() ==
        "error P05 16:62 transaction r: '%MW0+4': there is no next slave to step on to");
}

TEST_CASE("of alike slaves a finding is one, and says of whom else") {
  const auto findings = test::findings_of(
      fan_plant + three_fans +
          "[exchange]\ntransactions = [\n  { name = \"fan-in\", slave = \"fan\", fc = 4, at = 0, "
          "count = 4, into = \"%MW100\", every = \"1s\", on_loss = \"hold\" },\n  { name = \"x\", "
          "slave = \"fan2\", fc = 3, at = \"sped\", into = \"%MW104\", every = \"1s\", on_loss = "
          "\"hold\" },\n]\n",
      drive_map, "P,F,M");
  REQUIRE(findings.size() == 2);
  CHECK(findings[0] ==
        "warning F15 18:50 transaction fan1-in: touches no point of drive.csv: ir:0..ir:3 are not "
        "listed there; the same of fan2-in and fan3-in");
  CHECK(findings[1].find("19:46 transaction x: slave fan2 has no point 'sped'") !=
        std::string::npos);
}

TEST_CASE("an accept of a row speaks about all that it stands for") {
  const auto plan = [](const std::string& at) {
    return fan_plant + three_fans +
           "[exchange]\ntransactions = [\n  { name = \"fan-in\", slave = \"fan\", fc = 4, at = 0, "
           "count = 4, into = \"%MW100\", every = \"1s\", on_loss = \"hold\" },\n]\n[review]\n"
           "accepts = [ { rule = \"F15\", at = \"" +
           at + "\", why = \"so\" } ]\n";
  };
  CHECK(test::findings_of(plan("transaction fan-in"), drive_map, "P,F").empty());
  const auto one = test::findings_of(plan("transaction fan2-in"), drive_map, "P,F");
  REQUIRE(one.size() == 1);
  CHECK(one.front().find("transaction fan1-in: touches no point") != std::string::npos);
  CHECK(one.front().find("; the same of fan3-in") != std::string::npos);
  // one that holds for nobody is said once, as it is written
  const auto unused = test::findings_of(plan("slave fan"), drive_map, "P,F");
  REQUIRE(unused.size() == 2);
  CHECK(unused[1] ==
        "warning P09 21:13 accept 1: this accept silences nothing: F15 does not speak about 'slave "
        "fan'");
}

TEST_CASE("a cure of alike slaves is written where they are") {
  const std::string wrong =
      fan_plant + three_fans +
      "[exchange]\ntransactions = [\n  { name = \"fan-in\", slave = \"fan\", fc = 3, at = "
      "\"speeed\", count = 1, into = \"%MW100\", every = \"1s\", on_loss = \"hold\" },\n]\n";
  test::Files files = drive_map;
  files["plan.toml"] = wrong;
  checks::RuleSelection rules;
  rules.picked = {"P"};
  const auto cures =
      files::carry_out_cures("plan.toml", files::memory_files(std::move(files)), rules, true);
  REQUIRE(cures.files.size() == 1);
  CHECK(cures.files.front().after == test::replaced(wrong, "speeed", "speed"));
}

TEST_CASE("paths of alike slaves follow their rows") {
  const std::string rows =
      "[exchange]\ntransactions = [\n  { name = \"fan-in\", slave = \"fan\", fc = 3, at = 0, count "
      "= 4, into = \"%MW100+7\", every = \"1s\", on_loss = \"hold\" },\n]\n[supervision]\n";
  const auto ends_of = [&](const std::string& path) {
    const files::LoadedPlan loaded =
        test::load(fan_plant + three_fans + rows + "paths = [ " + path + " ]\n", drive_map);
    std::string text;
    for (const model::Path& p : loaded.plan.plan.paths) {
      text += fmt::format("{}: {} -> {}, ", p.name, p.from->value, p.to->value);
    }
    return text;
  };
  CHECK(ends_of(R"({ name = "speed", from = "fan.speed", to = "kiln.%MW101", budget = "4s" })") ==
        "speed-1: fan1.speed -> kiln.%MW101, speed-2: fan2.speed -> kiln.%MW108, speed-3: "
        "fan3.speed -> kiln.%MW115, ");
  CHECK(ends_of(R"({ name = "to fan", from = "kiln.%MW900+2", to = "fan.ramp", budget = "4s" })") ==
        "to fan1: kiln.%MW900 -> fan1.ramp, to fan2: kiln.%MW902 -> fan2.ramp, to fan3: "
        "kiln.%MW904 -> fan3.ramp, ");
}

TEST_CASE("wants of alike slaves and of patterns of names are packed for each, and written once") {
  const auto rows_of = [](const std::string& want) {
    const files::LoadedPlan loaded =
        test::load(fan_plant + three_fans +
                       "[slave.other]\nline = \"north\"\nunit = 9\nmap = \"drive.csv\"\n" +
                       "[exchange]\nwants = [ " + want + " ]\n",
                   drive_map);
    const auto result = packing::pack(loaded.plan);
    CHECK(result.problems.empty());
    std::string text;
    for (const auto& t : model::fold_alike(loaded.plan, packing::declared_of(result))) {
      text += fmt::format("{} {} {} {}, ", t.name, t.slave->value, t.into->value,
                          t.alone ? "alone" : "");
    }
    return text;
  };
  CHECK(rows_of(R"({ slave = "fan", points = ["s*"], every = "1s", into = "%MW600" })") ==
        "fan-status fan %MW600+3 , fan-setpoint fan %MW602+3 , ");
  CHECK(rows_of(R"({ slave = "fan", points = ["speed"], every = "1s", into = "%MW600+9" })") ==
        "fan-speed fan %MW600+9 , ");
  CHECK(rows_of(R"({ slave = "*", points = ["speed"], every = "1s", into = "%MW600" })") ==
        "fan-speed fan %MW600+1 , other-speed other %MW603 , ");
}

TEST_CASE("a step counts as the controller that asks counts") {
  // another controller, named first, counts in eights
  const std::string two = test::replaced(
      fan_plant, "[controller.kiln]\nscan",
      "[controller.ahead]\n[controller.ahead.memory]\n\"%MX\" = { kind = \"bit\", first = 0, "
      "count = 4000, radix = 8 }\n[controller.kiln]\nscan");
  const files::LoadedPlan loaded = test::load(
      two + three_fans +
          "[exchange]\nwants = [ { slave = \"fan\", points = [\"setpoint\"], from = \"%MW100+1\", "
          "on = \"%MX6+3\" } ]\n",
      drive_map);
  std::string conditions;
  for (const model::Want& want : loaded.plan.plan.wants) conditions += want.on->value + " ";
  CHECK(conditions == "%MX6 %MX9 %MX12 ");
}

TEST_CASE("rows of alike slaves come back as they were when they are written once again") {
  rc::prop("unfold, fold, unfold", [] {
    Sample s = *samples();
    RC_PRE(s.slaves > 1);
    for (Row& row : s.rows) {
      row.busy.reset();
      row.phase = 0;
    }
    const files::LoadedPlan loaded = test::load(written_out(s), drive_map);
    const files::LoadedPlan once = test::load(written_once(s), drive_map);
    const auto rows = model::fold_alike(once.plan, loaded.plan.plan.transactions);
    RC_ASSERT(rows.size() == s.rows.size());
    for (std::size_t i = 0; i < rows.size(); ++i) {
      RC_ASSERT(rows[i].slave->value == "fan");
      RC_ASSERT(rows[i].into->value ==
                fmt::format("%MW{}+{}", s.rows[i].into, s.rows[i].step.value_or(s.rows[i].count)));
      RC_ASSERT(model::value_or(rows[i].phase_step, model::Duration{}) ==
                std::chrono::milliseconds(s.rows[i].phase_step));
    }
  });
}

TEST_CASE("a step is a whole number that an area can hold") {
  const auto step = [](const std::string& text) {
    const auto s = model::stepped_text(text);
    return fmt::format("{}|{}", s.base, s.step ? std::to_string(*s.step) : "none");
  };
  CHECK(step("%MW100+20") == "%MW100|20");
  CHECK(step("%MW100 + 0") == "%MW100|0");
  CHECK(step("%MW100") == "%MW100|none");
  CHECK(step("%MW5+9223372036854775807") == "%MW5+9223372036854775807|none");
  CHECK(step("%MW5+-1") == "%MW5+-1|none");
  CHECK(step("+3") == "+3|none");
  CHECK(step("%MW5+") == "%MW5+|none");
}

TEST_CASE("a few lines cannot stand for millions of rows") {
  std::string plan =
      fan_plant + "[slave.fan]\ncount = 1000\nline = \"north\"\nunit = 1\n[exchange]\n";
  plan += "transactions = [\n";
  for (int i = 0; i < 101; ++i) {
    plan += fmt::format(
        "{{ name = \"r{}\", slave = \"fan\", fc = 3, at = 0, count = 1, into = "
        "\"%MW0+0\", every = \"1s\" }},\n",
        i);
  }
  const files::LoadedPlan loaded = test::load(plan + "]\n");
  CHECK(loaded.plan.transactions.size() == 100'000);
  REQUIRE(!loaded.findings.empty());
  CHECK(loaded.findings.front().message ==
        "with what it stands for there are more than 100000 of its kind");
}
