// What went out is what the log holds, and what failed is said with its cause: against slaves that
// were written for these tests.
#include <csignal>
#include <fstream>
#include <random>
#include <sstream>

#include <netinet/in.h>
#include <sys/socket.h>
#include <unistd.h>

#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "plain_modbus.h"
#include "process.h"

using namespace greymet;
using test::Octets;
using test::PlainSlave;
using CauseJson = nlohmann::json;

namespace {

std::string one_slave(const std::string& rows, const std::string& keys = "") {
  return R"([controller.plc]
scan = "10ms"
[controller.plc.memory]
"%MW" = { kind = "word", count = 100 }
"%MX" = { kind = "bit", count = 10 }
[slave.d]
host = "10.20.0.31"
timeout = "200ms"
retries = 1
map = "d.csv"
)" + keys +
         "[exchange]\ntransactions = [\n" + rows + "\n]\n";
}
const std::string map_of_d = "point,area,address,type\nspeed,hr,5,u16\ncount,hr,10,u32\n";
const std::string cyclic_write =
    R"({ name = "w", slave = "d", fc = 6, at = 5, from = "%MW0", every = "100ms" },)";
const std::string cyclic_read =
    R"({ name = "r", slave = "d", fc = 3, at = 5, count = 1, into = "%MW1", every = "100ms", on_loss = "hold" },)";

struct CauseSite {
  CauseSite(const std::string& plan, const std::string& where) {
    folder.write("plan.toml", plan);
    folder.write("d.csv", map_of_d);
    folder.write(
        "endpoints.json",
        CauseJson{{"lines", CauseJson::object()}, {"tcp", {{"10.20.0.31:502", where}}}}.dump());
    folder.write("values.csv", "where,value\nd.speed,7\n");
  }
  [[nodiscard]] std::vector<std::string> arguments(std::vector<std::string> more) const {
    std::vector<std::string> all{"run", "plan.toml", "--endpoints", "endpoints.json"};
    all.insert(all.end(), more.begin(), more.end());
    return all;
  }
  [[nodiscard]] test::Outcome run(std::vector<std::string> more) const {
    return test::run_program(GREYMET_PROGRAM, arguments(std::move(more)), folder.path());
  }
  // Frames that the log says went out.
  [[nodiscard]] unsigned logged() const {
    std::istringstream log(folder.read("out/log.csv"));
    std::string row;
    std::getline(log, row);
    unsigned all = 0;
    while (std::getline(log, row)) {
      std::istringstream cells(row);
      std::string cell;
      for (int i = 0; i < 5; ++i) std::getline(cells, cell, ',');
      all += static_cast<unsigned>(std::stoul(cell));
    }
    return all;
  }
  test::TemporaryFolder folder;
};

// A port where nobody listens.
std::string closed_port() {
  const int fd = ::socket(AF_INET, SOCK_STREAM, 0);
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  socklen_t size = sizeof address;
  REQUIRE(::bind(fd, reinterpret_cast<sockaddr*>(&address), size) == 0);
  REQUIRE(::getsockname(fd, reinterpret_cast<sockaddr*>(&address), &size) == 0);
  ::close(fd);
  return fmt::format("127.0.0.1:{}", ntohs(address.sin_port));
}

}  // namespace

TEST_CASE("what a slave received is what the log holds, wherever the run ends") {
  std::mt19937 random(7);
  for (const char* length : {"500ms", "1s", "999ms", "1001ms", "300ms", "100ms"}) {
    INFO(length);
    PlainSlave slave(false);
    const CauseSite site(one_slave(cyclic_write), slave.where());
    const auto outcome = site.run(
        {"--allow-writes", "--values", "values.csv", "--duration", length, "--json", "-o", "out"});
    slave.settle();
    const CauseJson json = CauseJson::parse(outcome.out);
    CHECK(json["accounted"] == true);
    CHECK(slave.requests == site.logged());
    CHECK(slave.writes == site.logged());
    CHECK(json["transactions"][0]["sent"] == site.logged());
  }
  for (int i = 0; i < 6; ++i) {
    PlainSlave slave(false);
    const CauseSite site(one_slave(cyclic_write), slave.where());
    test::BackgroundProgram run(
        GREYMET_PROGRAM, site.arguments({"--allow-writes", "--values", "values.csv", "-o", "out"}),
        site.folder.path());
    REQUIRE(site.folder.gets("out/log.csv"));
    ::usleep(300'000 + static_cast<unsigned>(random() % 200'000));
    run.signal(i % 2 == 0 ? SIGINT : SIGTERM);
    (void)run.wait();
    slave.settle();
    CHECK(slave.requests == site.logged());
  }
}

TEST_CASE("a request that failed says why, in the log, in the result and in the last lines") {
  struct Case {
    const char* cause;
    PlainSlave::Spoil spoil;
    const char* outcome;
  };
  const std::vector<Case> cases{
      {"no reply", [](const Octets&, const Octets&) { return std::vector<Octets>{}; }, "timeout"},
      {"answers to other questions",
       [](const Octets&, const Octets& reply) {
         Octets wrong = reply;
         wrong[6] = 99;  // unit
         return std::vector<Octets>{wrong};
       },
       "bad"},
      {"illegal data address",
       [](const Octets&, const Octets& reply) {
         Octets refused(reply.begin(), reply.begin() + 9);
         refused[5] = 3;
         refused[7] = 0x83;
         refused[8] = 2;
         return std::vector<Octets>{refused};
       },
       "exception"},
  };
  for (const Case& each : cases) {
    INFO(each.cause);
    PlainSlave slave(false);
    slave.spoil(each.spoil);
    const CauseSite site(one_slave(cyclic_read), slave.where());
    const auto outcome = site.run({"--duration", "1500ms", "-o", "out"});
    CHECK(outcome.status == 1);
    const std::string log = site.folder.read("out/log.csv");
    CHECK(log.find(fmt::format(",{},", each.outcome)) != std::string::npos);
    CHECK(log.find(fmt::format(",{}\r\n", each.cause)) != std::string::npos);
    const std::string end = outcome.out.substr(outcome.out.find("run failed"));
    CHECK(end.find("d: ") != std::string::npos);
    CHECK(end.find(each.cause) != std::string::npos);
    const CauseJson json = CauseJson::parse(site.folder.read("out/run.json"));
    REQUIRE(json["slaves"].size() == 1);
    CHECK(json["slaves"][0]["slave"] == "d");
    REQUIRE(json["because"].size() == 1);
    CHECK(json["because"][0].get<std::string>().find(each.cause) != std::string::npos);
  }
  const CauseSite nobody(one_slave(cyclic_read), closed_port());
  const auto refused = nobody.run({"--duration", "1s", "--json"});
  CHECK(CauseJson::parse(refused.out)["slaves"][0]["cause"] == "connection refused");
}

TEST_CASE("a stated value of a write on change goes out at once; one that never does is no pass") {
  PlainSlave slave(false);
  const CauseSite change(
      one_slave(
          R"({ name = "w", slave = "d", fc = 6, at = 5, from = "%MW0", on = "change", min_gap = "100ms" },)"),
      slave.where());
  // a machine that stands still makes replies late: not what this asks
  const std::vector<std::string> with_values{"--allow-writes", "--values", "values.csv",
                                             "--duration",     "500ms",    "--tolerate",
                                             "100%",           "-o",       "out"};
  const auto sent = change.run(with_values);
  CHECK(sent.status == 0);
  CHECK(slave.writes == 1);
  PlainSlave idle(false);
  const CauseSite trigger(
      one_slave(
          R"({ name = "w", slave = "d", fc = 6, at = 5, from = "%MW0", on = "%MX3", min_gap = "100ms" },)"),
      idle.where());
  const auto never = trigger.run(with_values);
  CHECK(never.status == 1);
  CHECK(idle.writes == 0);
  CHECK(never.out.find("d.speed: the value was never sent; w: waits for %MX3 to be set") !=
        std::string::npos);
}

TEST_CASE("a run that asks for a share it tolerates says what it is") {
  PlainSlave slave(false);
  const CauseSite site(one_slave(cyclic_read), slave.where());
  for (const char* wrong : {"1", "%", "-1%", "101%", "nan%", "1 percent"}) {
    const auto outcome = site.run({"--duration", "100ms", "--tolerate", wrong});
    CHECK(outcome.status == 2);
    CHECK(outcome.err.find("--tolerate is ") != std::string::npos);
  }
  CHECK(site.run({"--duration", "300ms", "--tolerate", "100 %"}).status == 0);
  unsigned turn = 0;
  slave.spoil([&turn](const Octets&, const Octets& reply) {
    return turn++ == 3 ? std::vector<Octets>{} : std::vector<Octets>{reply};
  });
  const auto again = site.run({"--duration", "1s", "--tolerate", "100%"});
  CHECK(again.status == 0);
  CHECK(again.out.find("run disturbed") != std::string::npos);
  CHECK(again.out.find("in a later try only") != std::string::npos);
}
