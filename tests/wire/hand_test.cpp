// One value by hand, against slaves that were written for these tests: what is asked, what is
// written, and what never goes out.
#include <array>

#include <pty.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "plain_modbus.h"
#include "process.h"

using namespace greymet;
using test::Octets;
using test::PlainSlave;
using HandJson = nlohmann::json;

namespace {

constexpr const char* hand_plan = R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", count = 100 }
[line.north]
master = "kiln"
mode = "rtu"
baud = 57600
format = "8E1"
timeout = "2s"
[slave.fan]
line = "north"
unit = 12
map = "fan.csv"
word_order = "CDAB"
[slave.air]
host = "10.20.0.31"
timeout = "2s"
retries = 0
map = "fan.csv"
[exchange]
transactions = [
  { name = "fan-set", slave = "fan", fc = 16, at = 5, count = 2, from = "%MW0", every = "1s" },
]
)";
constexpr const char* hand_map =
    "point,area,address,type,factor,unit,min,max,access\nspeed,hr,5,i16,0.1,Hz,-60,60,rw\n"
    "energy,hr,10,f32,1,kWh,,,rw\nactual,hr,20,u16,1,,,,r\nready,co,3,bool,1,,,,rw\n"
    "fault,hr,30,u16,1,,,,rw\n";

struct HandSite {
  HandSite() : fan(true), air(false) {
    fan.registers[5] = 125;
    fan.registers[10] = 0xE979;  // 123.456, low word first
    fan.registers[11] = 0x42F6;
    folder.write("plan.toml", hand_plan);
    folder.write("fan.csv", hand_map);
    folder.write("at.json", HandJson{{"lines", {{"north", fan.where()}}},
                                     {"tcp", {{"10.20.0.31:502", air.where()}}}}
                                .dump());
  }
  [[nodiscard]] test::Outcome hand(std::vector<std::string> more) const {
    std::vector<std::string> all{"hand", "plan.toml", "--endpoints", "at.json", "--unpaced"};
    all.insert(all.end(), more.begin(), more.end());
    return test::run_program(GREYMET_PROGRAM, all, folder.path());
  }
  test::TemporaryFolder folder;
  PlainSlave fan;
  PlainSlave air;
};

bool says(const test::Outcome& outcome, const std::string& text) {
  return (outcome.out + outcome.err).find(text) != std::string::npos;
}

}  // namespace

TEST_CASE("hand reads one value, and everything that its words could be") {
  const HandSite site;
  const auto speed = site.hand({"fan.speed"});
  INFO(speed.out << speed.err);
  CHECK(speed.status == 0);
  CHECK(says(speed, "fan.speed = 12.5 Hz\n"));
  CHECK(says(speed, "  0C 03 00 05 00 01 "));  // the request, before it went out
  const auto energy = site.hand({"fan.energy"});
  CHECK(says(energy, "fan.energy = 123.456 kWh\n"));
  CHECK(says(energy, "CDAB 123.456"));
  const auto plain = site.hand({"fan.hr:10", "--count", "2"});
  CHECK(says(plain, "fan.hr:10 = E979 42F6\n"));
  CHECK(says(plain, "CDAB 123.456"));
  CHECK(
      says(site.hand({"fan.hr:10", "--type", "f32", "--order", "CDAB"}), "fan.hr:10 = 123.456\n"));
  CHECK(site.fan.requests == 4);
  CHECK(site.fan.writes == 0);
}

TEST_CASE("hand writes one value, says who else does, and reads it back") {
  const HandSite site;
  const auto done = site.hand({"fan.speed", "33.54", "--yes", "--log", "hand.csv"});
  INFO(done.out << done.err);
  CHECK(done.status == 0);
  CHECK(says(done, "now:     fan.speed = 12.5 Hz\n"));
  CHECK(says(done, "written: fan.speed = 33.5 Hz, rounded to what it can hold\n"));
  CHECK(says(done, "careful: fan-set of kiln writes it every 1s, and would overwrite this\n"));
  CHECK(says(done, "read back: fan.speed = 33.5 Hz, and still so a second later\n"));
  CHECK(site.fan.registers.at(5) == 335);
  CHECK(site.fan.writes == 1);
  CHECK(site.fan.requests == 4);  // read, written, read at once and a second later
  const std::string log = site.folder.read("hand.csv");
  CHECK(log.starts_with("time,where,what,value,words,outcome,reason\r\n"));
  CHECK(log.find(",fan.speed,write,33.5,014F,good,\r\n") != std::string::npos);
  CHECK(std::count(log.begin(), log.end(), '\n') == 5);
  CHECK(site.hand({"fan.energy", "0.1", "--yes"}).status == 0);
  CHECK(site.fan.registers.at(10) == 0xCCCD);
  CHECK(site.fan.registers.at(11) == 0x3DCC);
  CHECK(site.hand({"air.ready", "1", "--yes"}).status == 0);
  CHECK(site.air.coils.at(3));
}

TEST_CASE("what hand refuses never goes out") {
  const HandSite site;
  const std::vector<std::pair<std::vector<std::string>, std::string>> refused{
      {{"fan.speed", "61", "--yes"}, "61 is outside -60 to 60"},
      {{"fan.speed", "fast", "--yes"}, "'fast' is no number"},
      {{"fan.speed", "5"}, "in a script add --yes"},
      {{"fan.actual", "5", "--yes"}, "'actual' can only be read; --force"},
      // the map holds whatever the registers are called
      {{"fan.hr:5", "601", "--yes"}, "'speed' would be 60.1, outside the range"},
      {{"fan.40006", "601", "--yes"}, "'speed' would be 60.1, outside the range"},
      {{"fan.hr:20", "5", "--yes"}, "'actual' can only be read"},
      {{"fan.hr:11", "5", "--yes"}, "a part of 'energy' (f32)"},
      {{"fan.hr:4", "5", "--type", "u32", "--order", "ABCD", "--yes", "--force", "x"},
       "write PLAN"},
      {{"fan.ir:4", "5", "--yes"}, "only coils and holding registers can"},
      {{"fan.hr:10", "1.5", "--type", "f32", "--yes"}, ""},  // the slave's order is none of ours
      {{"fan.sped"}, "did you mean 'speed'?"},
      {{"fun.speed"}, "did you mean 'fan'?"},
      {{"fan"}, "names a slave; write fan.POINT"},
      {{"fan.12"}, "no point '12'"},
      {{"fan.hr:70000"}, ""},
      {{"fan.hr:65535", "--count", "2"}, "up to 65535"},
      {{"fan.hr:0", "--count", "126"}, "1 to 125"},
      {{"fan.speed", "--every", "often"}, "--every is 'often'"},
      {{"fan.speed", "5", "--every", "1s", "--yes"}, "a write is done once"},
      {{"fan.speed", "--order", "ABDC"}, "is no order of words"},
      {{"fan.speed", "5", "6"}, "write PLAN WHERE [VALUE]"},
      {{"fan.speed", "--times", "3"}, "--times is how often --every reads"},
      {{"fan.speed", "--every", "1s", "--times", "-1"}, "--times is how often --every reads"},
      {{"fan.speed", "5", "--count", "2", "--yes"}, "--count is of reads"},
      {{"fan.speed", "--unit", "3"}, "--at"},
  };
  for (const auto& [arguments, why] : refused) {
    INFO(fmt::format("{}", fmt::join(arguments, " ")));
    const auto outcome = site.hand(arguments);
    INFO(outcome.err);
    CHECK(outcome.status == 2);
    CHECK(says(outcome, why));
  }
  CHECK(site.fan.requests == 0);
  // beyond the range, where that was asked for
  CHECK(site.hand({"fan.speed", "61", "--yes", "--force"}).status == 0);
  CHECK(site.fan.registers.at(5) == 610);
}

TEST_CASE("hand asks before it writes, and only yes is yes; Ctrl-C is no") {
  const HandSite site;
  const auto answered = [&](const std::string& answer) {
    int terminal = -1;
    winsize size{24, 80, 0, 0};
    const pid_t child = ::forkpty(&terminal, nullptr, nullptr, &size);
    REQUIRE(child >= 0);
    if (child == 0) {
      if (::chdir(site.folder.path().c_str()) != 0) ::_exit(9);
      ::execl(GREYMET_PROGRAM, "greymet", "hand", "plan.toml", "--endpoints", "at.json",
              "--unpaced", "fan.speed", "20", static_cast<char*>(nullptr));
      ::_exit(9);
    }
    std::string screen;
    bool told = false;
    std::array<char, 4096> buffer{};
    for (ssize_t got = 0; (got = ::read(terminal, buffer.data(), buffer.size())) > 0;) {
      screen.append(buffer.data(), static_cast<std::size_t>(got));
      if (told || screen.find("(yes/no)") == std::string::npos) continue;
      told = true;
      CHECK(::write(terminal, answer.data(), answer.size()) == static_cast<ssize_t>(answer.size()));
    }
    int status = 0;
    CHECK(::waitpid(child, &status, 0) == child);
    ::close(terminal);
    return std::pair(WEXITSTATUS(status), screen);
  };
  for (const char* answer : {"no\n", "\n", "maybe\n", "\x04", "\x03", "yes please\n"}) {
    const auto [status, screen] = answered(answer);
    INFO(screen);
    CHECK(status == 1);
    CHECK(screen.find("nothing was written") != std::string::npos);
  }
  CHECK(site.fan.writes == 0);
  CHECK(answered("yes\n").first == 0);
  CHECK(site.fan.writes == 1);
}

TEST_CASE("hand says what became of a value that the slave does not keep") {
  HandSite site;
  site.fan.spoil([](const Octets& request, const Octets& reply) -> std::vector<Octets> {
    if (request[1] != 3) return {reply};
    Octets old(reply.begin(), reply.end() - 2);
    old[3] = 0;
    old[4] = 125;  // whatever was written
    return {test::with_crc(old)};
  });
  const auto back = site.hand({"fan.speed", "20", "--yes"});
  CHECK(back.status == 1);
  CHECK(says(back,
             "read back it is another: fan.speed = 12.5 Hz, as it was before: it springs back"));
  site.air.spoil([](const Octets&, const Octets& reply) -> std::vector<Octets> {
    Octets refusal(reply.begin(), reply.begin() + 9);
    refusal[5] = 3;
    refusal[7] = static_cast<std::uint8_t>(refusal[7] | 0x80);
    refusal[8] = 2;
    return {refusal};
  });
  const auto refused = site.hand({"air.speed", "20", "--yes"});
  CHECK(refused.status == 1);
  CHECK(says(refused, "nothing was written: its value could not be read before"));
  CHECK(says(refused, "exception 02, illegal data address (greymet explain 02)"));
  CHECK(site.air.writes == 0);
}

TEST_CASE("hand without a plan, again and again, and where nobody is") {
  HandSite site;
  site.air.registers[10] = 500;
  const auto at = [&](std::vector<std::string> more) {
    more.insert(more.begin(), {"hand", "--at", site.air.where()});
    return test::run_program(GREYMET_PROGRAM, more, site.folder.path());
  };
  const auto once = at({"hr:10"});
  INFO(once.out << once.err);
  CHECK(once.status == 0);
  CHECK(says(once, "hr:10 = 500\n"));
  CHECK(says(at({"40011"}), "40011 = 500\n"));
  CHECK(at({"hr:10", "7", "--yes"}).status == 0);
  CHECK(site.air.registers.at(10) == 7);
  const unsigned before = site.air.requests;
  const auto meter = at({"hr:10", "--every", "50ms", "--times", "4"});
  CHECK(meter.out == "hr:10 = 7\nhr:10 = 7\nhr:10 = 7\nhr:10 = 7\n");
  CHECK(site.air.requests == before + 4);
  // the same by a serial device
  const auto serial = test::run_program(
      GREYMET_PROGRAM,
      {"hand", "--at", site.fan.where(), "--unit", "12", "--baud", "57600", "--unpaced", "hr:5"},
      site.folder.path());
  CHECK(says(serial, "hr:5 = 125\n"));
  for (const auto& [arguments, why] : std::vector<std::pair<std::vector<std::string>, std::string>>{
           {{"--at", "/dev/null/x", "hr:5"}, "--unit is needed"},
           {{"--at", "h:99999999", "hr:5"}, "is no port"},
           {{"--at", "::1", "hr:5"}, "host or host:port"},
           {{"--at", "h", "--mode", "rtu", "hr:5"}, "a host takes --mode tcp"},
           {{"--at", "/dev/x", "--unit", "1", "--mode", "tcp", "hr:5"}, "a serial device takes"},
           {{"--at", "h", "5"}, "no address with its area"}}) {
    std::vector<std::string> all{"hand"};
    all.insert(all.end(), arguments.begin(), arguments.end());
    const auto outcome = test::run_program(GREYMET_PROGRAM, all, site.folder.path());
    INFO(outcome.err);
    CHECK(outcome.status == 2);
    CHECK(says(outcome, why));
  }
  CHECK(test::run_program(GREYMET_PROGRAM,
                          {"hand", "--at", "/dev/nosuchthing", "--unit", "1", "hr:5"},
                          site.folder.path())
            .status == 3);
  CHECK(site.hand({"fan.speed", "--log", "no/such/folder/x.csv"}).status == 3);
}

TEST_CASE("explain answers what is seen, and value goes the other way") {
  const test::TemporaryFolder folder;
  const auto run = [&](std::vector<std::string> arguments) {
    return test::run_program(GREYMET_PROGRAM, arguments, folder.path());
  };
  for (const char* name : {"2", "02", "0x02", "exception 02"}) {
    CHECK(run({"explain", name}).out.starts_with("exception 02: illegal data address\n"));
  }
  const auto all = run({"explain", "symptoms"});
  CHECK(all.status == 0);
  for (const char* name : {"01", "03", "04", "06", "0A", "0B", "silence", "zeros", "springs-back",
                           "tenfold", "swapped"}) {
    CHECK(all.out.find(fmt::format("  {} ", name)) != std::string::npos);
    CHECK(run({"explain", name}).out.find("look, in this order:\n  1. ") != std::string::npos);
  }
  CHECK(run({"value", "--to", "33.5", "--type", "i16", "--factor", "0.1"}).out ==
        "      014F  = 335\n");
  CHECK(run({"value", "--to", "123.456", "--type", "f32"})
            .out.find("CDAB  E979 42F6  = 59769 17142") != std::string::npos);
  CHECK(run({"value", "--to", "70000", "--type", "u16"}).err ==
        "greymet: 70000 does not fit u16: it holds 0 to 65535\n");
  CHECK(run({"value", "--type", "u16"}).status == 2);
  CHECK(run({"value", "42F6", "--to", "5", "--type", "u16"}).status == 2);
}
