// A master and slaves that are played while they run: values at instants, typed, saved and
// generated; what arrives is counted by slaves and masters that were written for these tests.
#include <fcntl.h>
#include <pty.h>
#include <unistd.h>

#include <csignal>
#include <mutex>
#include <thread>

#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "plain_modbus.h"
#include "process.h"

using namespace greymet;
using test::Octets;
using test::PlainSlave;
using PlayedJson = nlohmann::json;

namespace {

constexpr const char* played_plan = R"([controller.kiln]
scan = "10ms"
word_order = "ABCD"
tags = "kiln-tags.csv"
[controller.kiln.memory]
"%MW" = { kind = "word", count = 100 }
"%MX" = { kind = "bit", count = 10 }
[slave.fan]
host = "10.20.0.31"
timeout = "2s"
retries = 0
word_order = "ABCD"
map = "fan.csv"
[exchange]
transactions = [
  { name = "fan-set", slave = "fan", fc = 6, at = "speed", from = "%MW0", on = "change", min_gap = "1ms" },
  { name = "fan-go", slave = "fan", fc = 6, at = "reset", from = "%MW1", on = "%MX0", min_gap = "1ms" },
  { name = "fan-power", slave = "fan", fc = 3, at = "power", count = 2, into = "%MW10", every = "100ms" },
  { name = "fan-total", slave = "fan", fc = 16, at = "total", count = 4, from = "%MW20", on = "change", min_gap = "1ms" },
]
)";
constexpr const char* played_map =
    "point,area,address,type,factor,unit,min,max,access\nspeed,hr,5,i16,0.1,Hz,-60,60,rw\n"
    "reset,hr,6,u16,1,,,,rw\npower,hr,10,f32,1,kW,,,r\ntotal,hr,20,u64,1,,,,rw\n"
    "limit,hr,30,u16,1,,,,rw\nsecret,hr,31,u16,1,,,,w\n";

// What a slave was asked to write, in the order in which it came: "5=335".
class PlayedSlave {
 public:
  PlayedSlave() : slave(false) {
    slave.spoil([this](const Octets& request, const Octets& reply) {
      const std::scoped_lock lock(mutex_);
      const std::size_t pdu = 7;
      if (request.size() > pdu + 4 && (request[pdu] == 6 || request[pdu] == 16)) {
        const auto word = [&](std::size_t at) {
          return static_cast<unsigned>(request[at] << 8U | request[at + 1]);
        };
        std::string text = fmt::format("{}=", word(pdu + 1));
        if (request[pdu] == 6) text += fmt::format("{}", word(pdu + 3));
        for (std::size_t at = pdu + 6; request[pdu] == 16 && at + 1 < request.size(); at += 2) {
          text += fmt::format("{}{:04X}", at == pdu + 6 ? "" : " ", word(at));
        }
        writes_.push_back(text);
      }
      return std::vector<Octets>{reply};
    });
    folder.write("plan.toml", played_plan);
    folder.write("fan.csv", played_map);
    folder.write("kiln-tags.csv", "tag,address,type\nfan_power,%MW10,REAL\ngo,%MX0,BOOL\n");
    folder.write("at.json", PlayedJson{{"lines", PlayedJson::object()},
                                       {"tcp", {{"10.20.0.31:502", slave.where()}}}}
                                .dump());
  }
  [[nodiscard]] std::vector<std::string> writes() {
    const std::scoped_lock lock(mutex_);
    return writes_;
  }
  // Runs a command of the shell in the folder; $RUN is the program with plan and places.
  [[nodiscard]] test::Outcome shell(const std::string& command) const {
    const std::string run = fmt::format(
        "RUN='{} run plan.toml --endpoints at.json --tolerate 100%'\n", GREYMET_PROGRAM);
    return test::run_program("/bin/sh", {"-c", run + command}, folder.path());
  }
  test::TemporaryFolder folder;
  PlainSlave slave;

 private:
  std::mutex mutex_;
  std::vector<std::string> writes_;
};

bool played_says(const test::Outcome& outcome, const std::string& text) {
  return (outcome.out + outcome.err).find(text) != std::string::npos;
}

}  // namespace

TEST_CASE("run plays values at their times, and a trigger that is asked for again fires again") {
  PlayedSlave site;
  site.folder.write("v.csv",
                    "where,value,at\nfan.speed,10,\nfan.speed,-2.5,400ms\nfan.speed,33.5,800ms\n"
                    "fan.reset,7,\nkiln.go,1,300ms\nkiln.%MX0,1,700ms\n"
                    "fan.total,18446744073709551615,500ms\n");
  const auto ran = site.shell("$RUN --allow-writes --values v.csv --duration 2s -o out");
  INFO(ran.out << ran.err);
  CHECK(ran.status == 0);
  const auto all = site.writes();
  const auto of = [&](const std::string& place) {
    std::vector<std::string> out;
    for (const std::string& each : all) {
      if (each.starts_with(place + "=")) out.push_back(each.substr(place.size() + 1));
    }
    return out;
  };
  CHECK(of("5") == std::vector<std::string>{"100", "65511", "335"});
  CHECK(of("6") == std::vector<std::string>{"7", "7"});
  CHECK(of("20") == std::vector<std::string>{"FFFF FFFF FFFF FFFF"});
  CHECK(played_says(ran, "0.8 s: fan.speed = 33.5\n"));
}

TEST_CASE("lines that are typed are taken whole, or said and not taken") {
  PlayedSlave site;
  const auto ran = site.shell(
      "(sleep 1; echo fan.speed,20; sleep 0.3; echo fan.speeed,30; echo fan.speed,61; echo "
      "fan.power,3; echo; head -c 5000 /dev/zero | tr '\\0' x; echo; echo 'fan.speed,\"2'; printf "
      "fan.speed,5) | $RUN --allow-writes --values - --duration 3s -o out");
  INFO(ran.out << ran.err);
  CHECK(ran.status == 0);
  CHECK(site.writes() == std::vector<std::string>{"5=200"});
  CHECK(played_says(ran, "fan.speed = 20\n"));
  CHECK(played_says(ran, "standard input:2:1: error: where 'fan.speeed' is not valid"));
  CHECK(played_says(ran, "standard input:3:11: error: value '61' is not valid"));
  CHECK(played_says(ran, "no write of the plan carries this point"));
  CHECK(played_says(ran, "standard input:6: longer than 4096 characters: not taken\n"));
  CHECK(played_says(ran, "standard input:7:"));
  CHECK(played_says(ran, "standard input:8: the last line has no end: not taken\n"));
}

TEST_CASE(
    "a file that is watched is taken when it is whole, and left as it was where it is wrong") {
  PlayedSlave site;
  site.folder.write("v.csv", "where,value\nfan.speed,10\n");
  test::BackgroundProgram running(GREYMET_PROGRAM,
                                  {"run", "plan.toml", "--endpoints", "at.json", "--allow-writes",
                                   "--values", "v.csv", "--watch", "--tolerate", "100%"},
                                  site.folder.path());
  const auto written = [&](std::size_t count) {
    for (int i = 0; i < 100 && site.writes().size() < count; ++i) {
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
    }
    return site.writes();
  };
  REQUIRE(written(1) == std::vector<std::string>{"5=100"});
  site.folder.write("v.csv", "where,value\nfan.speed,2");  // of 25
  std::this_thread::sleep_for(std::chrono::milliseconds(1200));
  CHECK(site.writes().size() == 1);
  site.folder.write("v.csv", "where,value\nfan.speed,25\n");
  CHECK(written(2) == std::vector<std::string>{"5=100", "5=250"});
  site.folder.write("v.csv", "where,value\nfan.speed,30\nfan.reset,nine\n");
  std::this_thread::sleep_for(std::chrono::milliseconds(1200));
  CHECK(site.writes().size() == 2);
  site.folder.write("v.csv", "where,value\nfan.speed,-1\n");
  CHECK(written(3).back() == "5=65526");
  running.signal(SIGINT);
  const auto ended = running.wait();
  INFO(ended.err);
  CHECK(
      played_says(ended, "v.csv: its last line has no end: not taken; what it said before stays"));
  CHECK(played_says(ended, "v.csv:3:11: error: row 3: value 'nine' is not valid"));
  CHECK(played_says(ended, "v.csv: not taken; what it said before stays"));
}

TEST_CASE("run sends what a generator says, within its range") {
  PlayedSlave site;
  site.folder.write("v.csv", "where,value,at\nfan.speed,ramp 10 50 1s,\nfan.speed,3,1500ms\n");
  const auto ran = site.shell("$RUN --allow-writes --values v.csv --duration 2s -o out");
  INFO(ran.out << ran.err);
  const auto all = site.writes();
  REQUIRE(all.size() > 4);
  CHECK(all.back() == "5=30");
  for (std::size_t i = 0; i + 1 < all.size(); ++i) {
    const int word = std::stoi(all[i].substr(2));
    CHECK(word >= 100);
    CHECK(word <= 500);
  }
}

TEST_CASE("tags of several words and points that are only written can be expected") {
  PlayedSlave site;
  site.slave.registers[10] = 0x42F6;
  site.slave.registers[11] = 0xE979;  // 123.456
  site.slave.registers[30] = 77;
  site.folder.write("v.csv", "where,value\nfan.speed,12.5\n");
  site.folder.write("e.csv", "where,value\nkiln.fan_power,123.456\nfan.speed,12.5\nfan.limit,77\n");
  const auto ran = site.shell(
      "$RUN --allow-writes --values v.csv --expect e.csv --until-met --duration 20s -o out");
  INFO(ran.out << ran.err);
  CHECK(ran.status == 0);
  // all that the slave was asked stands in the log, what was read back too
  const std::string log = site.folder.read("out/log.csv");
  CHECK(std::count(log.begin(), log.end(), '\n') - 1 == site.slave.requests);
  CHECK(log.find("read by hand,fan,3,1,good") != std::string::npos);
  // what springs back is found out, and what cannot be read is refused
  site.folder.write("e.csv", "where,value\nfan.limit,78\n");
  const auto wrong = site.shell("$RUN --expect e.csv --duration 500ms -o out --force");
  CHECK(wrong.status == 1);
  CHECK(played_says(wrong, "fan.limit: 78 was expected, found 77"));
  site.folder.write("e.csv", "where,value,within\nfan.secret,1,\nfan.limit,77,1s\n");
  const auto refused = site.shell("$RUN --expect e.csv --duration 500ms");
  CHECK(refused.status == 2);
  CHECK(played_says(refused,
                    "fan.secret: no transaction of this run reads this point, and it "
                    "cannot be read"));
  CHECK(played_says(refused, "`within` cannot be told"));
}

namespace {

constexpr const char* shared_line_plan = R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", count = 100 }
[line.north]
master = "kiln"
mode = "rtu"
baud = 115200
format = "8E1"
timeout = "500ms"
[slave.fan1]
line = "north"
unit = 1
map = "fan.csv"
reply = { typical = "1ms", max = "2ms" }
[slave.fan2]
line = "north"
unit = 2
map = "fan.csv"
[exchange]
transactions = [
  { name = "fan1-in", slave = "fan1", fc = 3, at = 10, count = 1, into = "%MW10", every = "1s" },
  { name = "fan2-in", slave = "fan2", fc = 3, at = 10, count = 1, into = "%MW12", every = "1s" },
  { name = "fan1-set", slave = "fan1", fc = 6, at = 5, from = "%MW5", every = "1s" },
  { name = "fan2-set", slave = "fan2", fc = 6, at = 5, from = "%MW6", every = "1s" },
]
)";
constexpr const char* shared_line_map =
    "point,area,address,type,access\nspeed,hr,5,u16,rw\npower,hr,10,u16,r\n";

// The other end of a serial line: what is written here is on it for everybody.
struct OpenLine {
  OpenLine() {
    std::array<char, 128> name{};
    termios raw{};
    ::cfmakeraw(&raw);
    REQUIRE(::openpty(&ours, &theirs, name.data(), &raw, nullptr) == 0);
    ::fcntl(ours, F_SETFL, O_NONBLOCK);
    for (const int fd : {ours, theirs}) ::fcntl(fd, F_SETFD, FD_CLOEXEC);
    device = name.data();
  }
  OpenLine(const OpenLine&) = delete;
  OpenLine& operator=(const OpenLine&) = delete;
  ~OpenLine() {
    ::close(ours);
    ::close(theirs);
  }
  void say(const Octets& frame) const {
    REQUIRE(::write(ours, frame.data(), frame.size()) == static_cast<ssize_t>(frame.size()));
  }
  // What comes within that time, or as soon as `wanted` octets are there.
  [[nodiscard]] Octets hear(int milliseconds, std::size_t wanted) const {
    Octets out;
    for (int i = 0; i < milliseconds && out.size() < wanted; ++i) {
      std::array<std::uint8_t, 256> buffer{};
      const ssize_t got = ::read(ours, buffer.data(), buffer.size());
      if (got > 0) out.insert(out.end(), buffer.begin(), buffer.begin() + got);
      ::usleep(1000);
    }
    return out;
  }
  int ours = -1;
  int theirs = -1;
  std::string device;
};

}  // namespace

TEST_CASE("on a real line serve answers for those that have not come, and for nobody else") {
  const test::TemporaryFolder folder;
  folder.write("plan.toml", shared_line_plan);
  folder.write("fan.csv", shared_line_map);
  folder.write("v.csv", "where,value\nfan2.power,17\n");
  folder.write("e.csv", "where,value\nfan2.speed,9\n");
  const OpenLine line;
  folder.write("places.json", PlayedJson{{"lines", {{"north", line.device}}}}.dump());
  test::BackgroundProgram served(
      GREYMET_PROGRAM,
      {"serve", "plan.toml", "--without", "fan1", "--places", "places.json", "--values", "v.csv",
       "--expect", "e.csv", "-o", "served", "--still"},
      folder.path());
  REQUIRE(folder.gets("served/endpoints.json"));
  const Octets ask_fan1 = test::with_crc({1, 3, 0, 10, 0, 1});
  const Octets ask_fan2 = test::with_crc({2, 3, 0, 10, 0, 1});
  const Octets fan1_says = test::with_crc({1, 3, 2, 0, 5});
  const Octets fan2_says = test::with_crc({2, 3, 2, 0, 17});
  line.say(ask_fan1);
  CHECK(line.hear(150, 1).empty());
  // the real one answers, and the master goes on without a silence that a computer could see
  Octets busy = fan1_says;
  busy.insert(busy.end(), ask_fan2.begin(), ask_fan2.end());
  for (int i = 0; i < 5; ++i) {
    line.say(busy);
    CHECK(line.hear(3000, fan2_says.size()) == fan2_says);
  }
  // a converter that echoes: what was said is heard again, and is no question
  line.say(fan2_says);
  CHECK(line.hear(100, 1).empty());
  // two writes alike are both answered, and neither that of the other slave
  const Octets set_fan2 = test::with_crc({2, 6, 0, 5, 0, 9});
  const Octets set_fan1 = test::with_crc({1, 6, 0, 5, 0, 8});
  for (int i = 0; i < 2; ++i) {
    line.say(set_fan1);
    line.say(set_fan1);  // its answer
    ::usleep(50'000);
    line.say(set_fan2);
    CHECK(line.hear(3000, set_fan2.size()) == set_fan2);
    line.say(set_fan2);  // the echo
    ::usleep(50'000);
  }
  served.signal(SIGINT);
  const auto ended = served.wait();
  INFO(ended.out << ended.err);
  CHECK(ended.status == 0);
  CHECK(played_says(ended, "a master writes fan2.speed: 0 -> 9\n"));
  CHECK(played_says(ended, "all that was expected was written\n"));
  CHECK(PlayedJson::parse(folder.read("served/served.json"))["verdict"] == "passed");
}

TEST_CASE("a device that goes away while it is served is said") {
  const test::TemporaryFolder folder;
  folder.write("plan.toml", shared_line_plan);
  folder.write("fan.csv", shared_line_map);
  auto line = std::make_unique<OpenLine>();
  folder.write("places.json", PlayedJson{{"lines", {{"north", line->device}}}}.dump());
  test::BackgroundProgram served(GREYMET_PROGRAM,
                                 {"serve", "plan.toml", "--places", "places.json", "-o", "served"},
                                 folder.path());
  REQUIRE(folder.gets("served/endpoints.json"));
  line.reset();
  const auto ended = served.wait();
  CHECK(ended.status == 3);
  CHECK(played_says(ended, "the device is gone"));
}

TEST_CASE("serve answers on the ports of a file of places, and says what it cannot have") {
  const test::TemporaryFolder folder;
  folder.write("plan.toml", played_plan);
  folder.write("fan.csv", played_map);
  folder.write("kiln-tags.csv", "tag,address,type\nfan_power,%MW10,REAL\n");
  folder.write("places.json", R"({"tcp": {"10.20.0.31:502": "127.0.0.1:27611"}})");
  folder.write("v.csv", "where,value,at\nfan.limit,5,\nfan.limit,6,700ms\n");
  const std::vector<std::string> serve{"serve",    "plan.toml", "--places", "places.json",
                                       "--values", "v.csv",     "-o",       "served"};
  test::BackgroundProgram served(GREYMET_PROGRAM, serve, folder.path());
  REQUIRE(folder.gets("served/endpoints.json"));
  auto master = test::PlainMaster::on_tcp("127.0.0.1:27611");
  bool was_six = false;
  for (int i = 0; i < 100 && !was_six; ++i) {
    was_six = master.ask(255, {3, 0, 30, 0, 1}) == Octets{3, 2, 0, 6};
    ::usleep(50'000);
  }
  CHECK(was_six);
  // somebody else has the port
  auto again = serve;
  again.back() = "again";
  const auto refused = test::run_program(GREYMET_PROGRAM, again, folder.path());
  CHECK(refused.status == 3);
  CHECK(played_says(refused, "cannot listen on 127.0.0.1:27611: Address already in use"));
  for (const auto& [more, text] : std::vector<std::pair<std::vector<std::string>, std::string>>{
           {{"--only", "fun"}, "--only: the plan has no slave or controller 'fun'"},
           {{"--without", "fan"}, "nobody is left that is served"},
           {{"--only", "kiln"}, "--only: controller kiln answers nobody"},
           {{"--until-met"}, "--until-met is of use with --expect alone"}}) {
    std::vector<std::string> all{"serve", "plan.toml"};
    all.insert(all.end(), more.begin(), more.end());
    const auto wrong = test::run_program(GREYMET_PROGRAM, all, folder.path());
    CHECK(wrong.status == 2);
    INFO(wrong.err);
    CHECK(played_says(wrong, text));
  }
}

namespace {

constexpr const char* hop_plan = R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", count = 100 }
[controller.loadout]
scan = "10ms"
address = "10.20.0.12/24"
answers = [{ port = 502 }]
[controller.loadout.memory]
"%MW" = { kind = "word", count = 100, serves = "hr:0" }
[exchange]
transactions = [
  { name = "to-loadout", controller = "kiln", slave = "loadout", fc = 16, at = 0, count = 2, from = "%MW0", every = "50ms" },
  { name = "from-loadout", controller = "kiln", slave = "loadout", fc = 3, at = 10, count = 2, into = "%MW10", every = "50ms" },
]
copies = [{ controller = "loadout", from = "%MW1", to = "%MW11", count = 1 }]
[supervision]
heartbeats = [
  { name = "kiln-alive", from = "kiln", bit = "%MW0.0", toggle = "200ms", to = "loadout", watch = "2s", react = "3s" },
]
)";

}  // namespace

TEST_CASE("a value passes over a hop for real, and a heartbeat that stops is an alarm") {
  const test::TemporaryFolder folder;
  folder.write("plan.toml", hop_plan);
  folder.write("at.json", R"({"tcp": {"10.20.0.12:502": "127.0.0.1:27612"}})");
  folder.write("v.csv", "where,value\nkiln.%MW0,0\nkiln.%MW1,4711\n");
  folder.write("e.csv", "where,value\nkiln.%MW11,4711\n");
  test::BackgroundProgram loadout(GREYMET_PROGRAM,
                                  {"run", "plan.toml", "--controller", "loadout", "--answer",
                                   "--endpoints", "at.json", "--tolerate", "100%", "-o", "out"},
                                  folder.path());
  bool listens = false;
  for (int i = 0; i < 100 && !listens; ++i) {
    listens = test::PlainMaster::on_tcp("127.0.0.1:27612").is_open();
    ::usleep(50'000);
  }
  REQUIRE(listens);
  const auto kiln = test::run_program(
      GREYMET_PROGRAM,
      {"run", "plan.toml", "--controller", "kiln", "--endpoints", "at.json", "--values", "v.csv",
       "--allow-writes", "--expect", "e.csv", "--duration", "2s", "--tolerate", "100%"},
      folder.path());
  INFO(kiln.out << kiln.err);
  CHECK(kiln.status == 0);
  CHECK(kiln.out.find("loadout is not run here") != std::string::npos);
  ::usleep(3'000'000);  // nobody writes any more
  loadout.signal(SIGINT);
  const auto ended = loadout.wait();
  INFO(ended.out << ended.err);
  CHECK(ended.status == 1);
  const auto json = PlayedJson::parse(folder.read("out/run.json"));
  const auto& beat = json["heartbeats"][0];
  CHECK(beat["watched"] == true);
  CHECK(beat["changes_seen"].get<int>() > 3);
  CHECK(beat["alarms"].get<int>() >= 1);
  CHECK(json["because"].dump().find("heartbeat kiln-alive: in alarm") != std::string::npos);
}

TEST_CASE("a wish to stop that arrives twice at once is one wish") {
  PlayedSlave site;
  // as timeout(1) does: the program, and then its whole group
  const auto ran = site.shell(
      "$RUN --duration 20s -o out & p=$!; sleep 1; kill -TERM $p; sleep 0.02; "
      "kill -TERM $p; sleep 0.02; kill -TERM $p; wait $p; echo status $?");
  INFO(ran.out << ran.err);
  CHECK(played_says(ran, "every request accounted for: yes\n"));
  CHECK(played_says(ran, "wrote out/run.json\n"));
  CHECK_FALSE(played_says(ran, "status 143\n"));
}

TEST_CASE("trend follows a log that is still growing") {
  PlayedSlave site;
  site.slave.registers[10] = 0x42F6;
  site.slave.registers[11] = 0xE979;
  const auto followed = site.shell("$RUN --duration 2s -o out & sleep 0.7; timeout -s INT 3 " +
                                   std::string(GREYMET_PROGRAM) +
                                   " trend out/log.csv --plan plan.toml fan.power --follow; wait");
  INFO(followed.out << followed.err);
  CHECK(played_says(followed, "fan.power 123.456 kW\n"));
  CHECK(played_says(followed, "rows read\n"));
}
