// `greymet new` with tables as makers print them: questions, answers, what is assumed.
#include <catch2/catch.hpp>

#include "process.h"

using namespace greymet;

namespace {

class NewSite {
 public:
  NewSite() { site_.write("m.csv", meter); }
  test::Outcome run(std::vector<std::string> arguments) const {
    return test::run_program(GREYMET_PROGRAM, arguments, site_.path());
  }
  test::TemporaryFolder site_;

 private:
  static constexpr const char* meter =
      "Name;Register;Type;Scale;Area\nU1;0048;REAL;1;ir\nI1;0060;INT16;10;ir\n";
};

const std::vector<std::string> one_meter{"--line", "bus=rtu,9600,8N1", "--slave", "m=bus,1,m.csv"};

std::vector<std::string> with(std::vector<std::string> arguments,
                              const std::vector<std::string>& more) {
  arguments.insert(arguments.end(), more.begin(), more.end());
  return arguments;
}

}  // namespace

TEST_CASE("new asks before it writes, and an answer may be of one slave alone") {
  const NewSite site;
  const auto asked = site.run(with({"new", "p"}, one_meter));
  CHECK(asked.status == 2);
  CHECK_FALSE(site.site_.has("p/plan.toml"));
  CHECK(asked.out.find("m.csv: nothing is written before this is answered\n") == 0);
  CHECK(asked.out.find("  ? addresses may be decimal or hexadecimal: no letter and no gap tells\n"
                       "      line 2: U1  0048: decimal 48, hexadecimal 72\n") !=
        std::string::npos);
  CHECK(asked.out.find("    answer with --reading m:scale=multiply, or --reading m:scale=divide") !=
        std::string::npos);
  CHECK(asked.err == "greymet: m.csv: 2 questions to be answered\n");
  const auto made = site.run(with(with({"new", "p"}, one_meter),
                                  {"--reading", "m:addresses=hex", "--reading", "scale=divide"}));
  CHECK(made.status == 0);
  CHECK(site.site_.read("p/maps/m.csv") ==
        "point,area,address,type,factor\r\nU1,ir,0x0048,f32,\r\nI1,ir,0x0060,i16,0.1\r\n");
  CHECK(made.out.find("Assumed, look each up:\n  m: addresses count from 0 (the lowest is "
                      "0x0048): does the manual count from 1?\n  m: long values lie in the order "
                      "ABCD\n") != std::string::npos);
  const std::string plan = site.site_.read("p/plan.toml");
  CHECK(plan.find("assumed    = [\"numbering\", \"word_order\"]") != std::string::npos);
  CHECK(plan.find("\nmap_covers") == std::string::npos);
  CHECK(plan.find("\nreply") == std::string::npos);
  const auto check = site.run({"check", "p/plan.toml"});
  CHECK(check.status == 0);
  CHECK(check.out.find("note A05: slave m: `word_order` is assumed, never confirmed") !=
        std::string::npos);
}

TEST_CASE("answers that nobody asked for are told") {
  const NewSite site;
  const auto wrong = [&](const std::string& reading) {
    const auto outcome = site.run(with(with({"new", "p"}, one_meter), {"--reading", reading}));
    CHECK(outcome.status == 2);
    return outcome.err;
  };
  CHECK(wrong("scale") ==
        "greymet: --reading takes KEY=ANSWER or SLAVE:KEY=ANSWER, where KEY is one of addresses, "
        "area, columns, int, length, numbering, scale, type, word_order; found 'scale'\n");
  CHECK(wrong("m:scale=half") ==
        "greymet: --reading scale= takes multiply, divide, power; found 'half'\n");
}

TEST_CASE(
    "new adds no device that nobody asked for, and a slave without a table has an empty map") {
  const NewSite site;
  const auto bare = site.run({"new", "bare"});
  CHECK(bare.status == 0);
  CHECK(site.site_.read("bare/plan.toml").find("[slave.") == std::string::npos);
  CHECK(bare.out.find("Next: add a slave: greymet new --from TABLE --slave NAME=LINE,UNIT --plan "
                      "bare/plan.toml\n") != std::string::npos);
  const auto empty = site.run({"new", "e", "--line", "l=rtu,9600,8E1", "--slave", "a=l,1"});
  CHECK(empty.status == 0);
  CHECK(empty.out.find("warning P07: slave a: has a header row and no points yet") !=
        std::string::npos);
}

TEST_CASE("pack reads over no register of which nobody knows whether it answers") {
  const NewSite site;
  site.site_.write("gap.csv",
                   "name,area,address,type,access\na,hr,0,u16,r\nb,hr,1,u16,r\nc,hr,8,u16,r\n");
  const auto made =
      site.run({"new", "p", "--line", "bus=rtu,9600,8N1", "--slave", "m=bus,1,gap.csv"});
  CHECK(made.status == 0);
  const std::string plan = site.site_.read("p/plan.toml");
  CHECK(plan.find("at = 0, count = 2") != std::string::npos);
  CHECK(plan.find("count = 9") == std::string::npos);
}

TEST_CASE("a table is piped in, joins a plan, and its headings may come from a file") {
  const NewSite site;
  CHECK(site.run({"new", "p", "--line", "bus=rtu,9600,8N1"}).status == 0);
  site.site_.write("words.csv", "Messstelle,point\nOrt,address\nArt,type\n");
  site.site_.write("t.txt", "Messstelle   Ort     Art\nDruck        40001   REAL\n");
  const auto joined =
      test::run_program("/bin/sh",
                        {"-c", std::string("cat t.txt | ") + GREYMET_PROGRAM +
                                   " new --from - --slave d=bus,4 --plan p/plan.toml --headings "
                                   "words.csv"},
                        site.site_.path());
  CHECK(joined.status == 0);
  CHECK(site.site_.read("p/maps/d.csv") == "point,area,address,type\r\nDruck,hr,40001,f32\r\n");
  CHECK(site.site_.read("p/plan.toml").find("numbering  = \"reference\"") != std::string::npos);
}

TEST_CASE("new --update brings a map up to its manual, and loses nothing that is used") {
  const test::TemporaryFolder site;
  site.write("plan.toml", R"([controller.plc]
scan = "10ms"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[line.north]
master = "plc"
mode = "rtu"
baud = 19200
format = "8E1"
[slave.fan]
count = 2
line = "north"
unit = 1
map = "fan.csv"
[exchange]
transactions = [
  { name = "fan-in", slave = "fan", points = ["speed", "load"], into = "%MW0", every = "1s", on_loss = "hold" },
]
)");
  const std::string before =
      "point,area,address,type,note\nspeed,hr,0,u16,ours\nload,hr,1,u16,\nspare,hr,9,u16,\n";
  site.write("fan.csv", before);
  const auto run = [&](const std::vector<std::string>& more) {
    std::vector<std::string> all{"new",  "--from", "rev-c.csv", "--slave",
                                 "fan1", "--plan", "plan.toml", "--update"};
    all.insert(all.end(), more.begin(), more.end());
    return test::run_program(GREYMET_PROGRAM, all, site.path());
  };
  site.write("rev-c.csv", "Name,Area,Address,Type\nspeed,hr,4,UINT16\nload,hr,5,UINT16\n");
  const test::Outcome dry = run({"--dry-run"});
  CHECK(dry.status == 1);
  CHECK(dry.out.find("moved    speed: address hr:0 -> hr:4 (transaction fan1-in, transaction "
                     "fan2-in)\n") != std::string::npos);
  CHECK(dry.out.find("gone     spare: hr:9 u16\n") != std::string::npos);
  CHECK(site.read("fan.csv") == before);
  CHECK(run({}).status == 0);
  CHECK(site.read("fan.csv") ==
        "point,area,address,type,note\r\nspeed,hr,4,u16,ours\r\nload,hr,5,u16,\r\n");
  site.write("rev-c.csv", "Name,Area,Address,Type\nspeed,hr,4,UINT16\n");
  const test::Outcome lost = run({});
  CHECK(lost.status == 1);
  CHECK(lost.err ==
        "greymet: nothing is written: 1 point is used and not in the table; take it out of the "
        "plan first, or add --force\n");
  CHECK(site.read("fan.csv").find("load") != std::string::npos);
  site.write("old.csv", before);
  const test::Outcome diff = test::run_program(
      GREYMET_PROGRAM, {"diff", "old.csv", "fan.csv", "--plan", "plan.toml"}, site.path());
  CHECK(diff.status == 1);
  CHECK(diff.out.find("moved    load: address hr:1 -> hr:5 (transaction fan1-in, transaction "
                      "fan2-in)\n") != std::string::npos);
}

TEST_CASE("a newer table that does not say how it counts counts as the slave does") {
  const test::TemporaryFolder site;
  site.write("plan.toml",
             "[controller.plc]\nscan = \"10ms\"\n[line.north]\nmaster = "
             "\"plc\"\nmode = \"rtu\"\nbaud = 19200\nformat = \"8E1\"\n[slave.m]\nline "
             "= \"north\"\nunit = 1\nmap = \"m.csv\"\nnumbering = \"from-1\"\n");
  site.write("m.csv", "point,area,address,type\nspeed,hr,5,u16\n");
  site.write("rev.csv", "point,area,address,type\nspeed,hr,5,u16\nload,hr,6,u16\n");
  const test::Outcome dry = test::run_program(
      GREYMET_PROGRAM,
      {"new", "--from", "rev.csv", "--slave", "m", "--plan", "plan.toml", "--update", "--dry-run"},
      site.path());
  CHECK(dry.out.find("added    load: hr:5 u16\n1 point as they were\n") != std::string::npos);
  CHECK(dry.out.find("counted from-1, as slave m is; else say --numbering\n") != std::string::npos);
  const test::Outcome diff = test::run_program(
      GREYMET_PROGRAM, {"diff", "m.csv", "rev.csv", "--plan", "plan.toml"}, site.path());
  CHECK(diff.out == "added    load: hr:5 u16\n");
}

TEST_CASE("new drafts the tags that the program has to declare, and the plan stays clean") {
  const NewSite site;
  site.site_.write("t.csv",
                   "name,area,address,type,access,unit\nflow,hr,0,f32,r,m3/h\nstate,hr,2,u16,r,\n");
  const std::vector<std::string> meter{"--line", "bus=rtu,9600,8N1", "--slave", "m=bus,1,t.csv"};
  const auto made = site.run(with(with({"new", "p"}, meter), {"--tags", "--numbering", "from-0"}));
  CHECK(made.status == 0);
  CHECK(made.out.find("wrote p/plan.toml and 1 map, and tags/plc.csv\n") != std::string::npos);
  CHECK(made.out.find("check: no errors, no warnings") != std::string::npos);
  CHECK(site.site_.read("p/plan.toml").find("tags       = \"tags/plc.csv\"") != std::string::npos);
  // the same as what is drafted of the plan as it stands
  CHECK(site.run({"points", "p/plan.toml", "--tags", "plc"}).out ==
        site.site_.read("p/tags/plc.csv"));
  CHECK(site.site_.read("p/tags/plc.csv").find("m.flow") != std::string::npos);
  // nothing to declare, no table
  CHECK(site.run({"new", "bare", "--tags"}).status == 0);
  CHECK_FALSE(site.site_.has("bare/tags/plc.csv"));
  CHECK(
      site.run({"new", "--from", "t.csv", "--slave", "x=bus,2", "--plan", "p/plan.toml", "--tags"})
          .err.find("greymet points PLAN --tags CONTROLLER") != std::string::npos);
}

TEST_CASE("functions that a table names for writing are those the map lists") {
  const NewSite site;
  site.site_.write("t.csv",
                   "name,address,type,function\na,0,u16,03/06\nb,1,u16,\"03, 06, 16\"\n"
                   "c,2,f32,03/06\nd,4,f32,03/16\ne,6,u16,03\n");
  CHECK(site.run({"new", "p", "--line", "bus=rtu,9600,8N1", "--slave", "m=bus,1,t.csv",
                  "--numbering", "from-0"})
            .status == 0);
  CHECK(site.site_.read("p/maps/m.csv") ==
        "point,area,address,type,access,write_fc\r\n"
        "a,hr,0,u16,rw,6\r\nb,hr,1,u16,rw,\"6, 16\"\r\nc,hr,2,f32,rw,\r\nd,hr,4,f32,rw,16\r\n"
        "e,hr,6,u16,r,\r\n");
}

TEST_CASE("with --table the transactions stand in a CSV, and the exchange is the same") {
  const NewSite site;
  const auto ways = with(one_meter, {"--reading", "m:addresses=hex", "--reading", "scale=divide"});
  REQUIRE(site.run(with({"new", "rows"}, ways)).status == 0);
  REQUIRE(site.run(with({"new", "table", "--table"}, ways)).status == 0);
  const std::string plan = site.site_.read("table/plan.toml");
  CHECK(plan.find("table      = \"exchange.csv\"") != std::string::npos);
  CHECK(plan.find("transactions = [") == std::string::npos);
  const std::string csv = site.site_.read("table/exchange.csv");
  CHECK(csv.starts_with("name,slave,fc,at,count,into,every,"));
  const auto diff = site.run({"diff", "rows/plan.toml", "table/plan.toml"});
  INFO(diff.out << diff.err);
  CHECK(diff.status == 0);
  CHECK(site.run({"check", "table/plan.toml"}).status == 0);
}
