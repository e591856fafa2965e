// How runs end, and what they must not depend on meanwhile: connections that are left, descriptors
// that are gone, a terminal that is paused, requests under way. The other ends are plain sockets
// and pseudo-terminals of the test.
#include <arpa/inet.h>
#include <fcntl.h>
#include <pty.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <chrono>
#include <csignal>
#include <fstream>
#include <thread>

#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "plain_modbus.h"
#include "process.h"

namespace ends {

using namespace greymet;
using Json = nlohmann::json;
using test::Octets;

// Takes connections and requests, answers none, and knows how many are open.
class SilentHost {
 public:
  SilentHost() : listener_(::socket(AF_INET, SOCK_STREAM | SOCK_NONBLOCK, 0)) {
    sockaddr_in at{};
    at.sin_family = AF_INET;
    at.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    socklen_t size = sizeof at;
    REQUIRE(::bind(listener_, reinterpret_cast<sockaddr*>(&at), size) == 0);
    REQUIRE(::listen(listener_, 64) == 0);
    ::getsockname(listener_, reinterpret_cast<sockaddr*>(&at), &size);
    port_ = ntohs(at.sin_port);
    thread_ = std::thread([this] { work(); });
  }
  SilentHost(const SilentHost&) = delete;
  SilentHost& operator=(const SilentHost&) = delete;
  ~SilentHost() {
    over_ = true;
    thread_.join();
    for (const int fd : open_) ::close(fd);
    ::close(listener_);
  }
  [[nodiscard]] std::string endpoints() const {
    return fmt::format(R"({{"tcp": {{"10.20.0.31:502": "127.0.0.1:{}"}}}})", port_);
  }
  std::atomic<std::size_t> most_open{0};
  std::atomic<std::size_t> taken{0};
  std::atomic<std::size_t> requests{0};

 private:
  void work() {
    while (!over_) {
      const int fd = ::accept4(listener_, nullptr, nullptr, SOCK_NONBLOCK);
      if (fd >= 0) {
        open_.push_back(fd);
        ++taken;
      }
      std::erase_if(open_, [this](int each) {
        std::array<char, 512> buffer{};
        const ssize_t got = ::read(each, buffer.data(), buffer.size());
        if (got > 0) requests += static_cast<std::size_t>(got) / 12;  // of function 3
        if (got == 0) ::close(each);
        return got == 0;
      });
      most_open = std::max<std::size_t>(most_open, open_.size());
      std::this_thread::sleep_for(std::chrono::milliseconds(1));
    }
  }
  int listener_;
  std::uint16_t port_ = 0;
  std::atomic<bool> over_{false};
  std::vector<int> open_;
  std::thread thread_;
};

std::string tcp_plan(const std::string& slave, const std::string& row) {
  return fmt::format(R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = {{ kind = "word", first = 0, count = 100 }}
[slave.air]
host = "10.20.0.31"
{}
reply = {{ typical = "1ms", max = "300ms" }}
[exchange]
transactions = [
  {{ name = "in", slave = "air", fc = 3, at = 10, count = 2, into = "%MW10", {} }},
]
)",
                     slave, row);
}

test::Outcome run_in(const test::TemporaryFolder& site, const std::string& command) {
  return test::run_program("/bin/bash", {"-c", command}, site.path());
}
const std::string program = GREYMET_PROGRAM;

TEST_CASE("a connection for each request is closed when its try is over") {
  SilentHost host;
  const test::TemporaryFolder site;
  site.write("plan.toml", tcp_plan("connect = \"each\"\ntimeout = \"50ms\"", "every = \"60ms\""));
  site.write("at.json", host.endpoints());
  const test::Outcome outcome =
      run_in(site, program + " run plan.toml --endpoints at.json --duration 2s -o out");
  CHECK(outcome.status == 1);
  const std::string log = site.read("out/log.csv");
  INFO(log);
  const std::size_t sent = Json::parse(site.read("out/run.json"))["transactions"][0]["sent"];
  CHECK(host.taken > 2);  // some thirty on a machine that has time
  CHECK(host.taken <= sent);
  CHECK(host.most_open <= 2);  // the one that goes and the one that comes
}

TEST_CASE("what is under way at the end is in the log, whatever the phase of the end") {
  for (const char* duration : {"150ms", "1s", "1030ms", "1200ms"}) {
    SilentHost host;
    const test::TemporaryFolder site;
    site.write("plan.toml", tcp_plan("timeout = \"400ms\"\nretries = 0", "every = \"500ms\""));
    site.write("at.json", host.endpoints());
    const test::Outcome outcome =
        run_in(site, program + " run plan.toml --endpoints at.json -o out --duration " + duration);
    CHECK(outcome.status == 1);
    const Json json = Json::parse(site.read("out/run.json"));
    const std::string log = site.read("out/log.csv");
    const auto rows = static_cast<std::size_t>(std::count(log.begin(), log.end(), '\n')) - 1;
    INFO(duration << "\n" << log);
    CHECK(host.requests > 0);
    CHECK(rows == host.requests);
    CHECK(json["transactions"][0]["sent"] == rows);
    CHECK(json["accounted"] == true);
    CHECK(json["verdict"] == "failed");
  }
}

TEST_CASE("what takes longer than anybody waits is recorded as unfinished, and a signal ends it") {
  for (const int signal : {SIGINT, SIGTERM}) {
    SilentHost host;
    const test::TemporaryFolder site;
    site.write("plan.toml", tcp_plan("timeout = \"60s\"", "every = \"90s\""));
    site.write("at.json", host.endpoints());
    test::BackgroundProgram run(
        GREYMET_PROGRAM, {"run", "plan.toml", "--endpoints", "at.json", "-o", "out"}, site.path());
    for (int i = 0; i < 500 && host.requests == 0; ++i) ::usleep(10'000);
    run.signal(signal);
    CHECK(run.wait().status == 1);
    const Json json = Json::parse(site.read("out/run.json"));
    CHECK(json["transactions"][0]["sent"] == 1);
    CHECK(json["transactions"][0]["unfinished"] == 1);
    CHECK(json["accounted"] == true);
    CHECK(site.read("out/log.csv").find(",in,air,3,1,unfinished,,,,") != std::string::npos);
    CHECK(site.read("out/log.csv").find(",everything ended first\r\n") != std::string::npos);
  }
}

TEST_CASE("a closed terminal ends a run like Ctrl-C, and nohup keeps it") {
  test::PlainSlave slave(false);
  const test::TemporaryFolder site;
  site.write("plan.toml", tcp_plan("timeout = \"400ms\"", "every = \"50ms\""));
  site.write("at.json", fmt::format(R"({{"tcp": {{"10.20.0.31:502": "{}"}}}})", slave.where()));
  test::BackgroundProgram run(
      GREYMET_PROGRAM, {"run", "plan.toml", "--endpoints", "at.json", "-o", "out"}, site.path());
  for (int i = 0; i < 500 && slave.requests < 5; ++i) ::usleep(10'000);
  run.signal(SIGHUP);
  CHECK(run.wait().status == 0);
  CHECK(Json::parse(site.read("out/run.json"))["verdict"] == "passed");
  const test::Outcome kept = run_in(
      site,
      "trap '' HUP; " + program +
          " run plan.toml --endpoints at.json --duration 2s --tolerate 100% -o kept & sleep 0.7; "
          "kill -HUP "
          "$!; wait $!");
  CHECK(kept.status == 0);
  CHECK(Json::parse(site.read("kept/run.json"))["duration_s"] >= 2.0);
}

TEST_CASE("a paused terminal holds up no request") {
  test::PlainSlave slave(false);
  const test::TemporaryFolder site;
  site.write("plan.toml", tcp_plan("timeout = \"3s\"", "every = \"20ms\""));
  site.write("at.json", fmt::format(R"({{"tcp": {{"10.20.0.31:502": "{}"}}}})", slave.where()));
  int terminal = -1;
  winsize size{24, 80, 0, 0};
  const pid_t child = ::forkpty(&terminal, nullptr, nullptr, &size);
  REQUIRE(child >= 0);
  if (child == 0) {
    if (::chdir(site.path().c_str()) != 0) ::_exit(9);
    ::setenv("TERM", "xterm", 1);
    // replies that a busy machine makes late are not what this asks
    ::execl(GREYMET_PROGRAM, "greymet", "run", "plan.toml", "--endpoints", "at.json", "-o", "out",
            "--tolerate", "100%", static_cast<char*>(nullptr));
    ::_exit(9);
  }
  ::fcntl(terminal, F_SETFL, O_NONBLOCK);
  std::string screen;
  const auto look = [&] {
    std::array<char, 8192> buffer{};
    for (ssize_t got = 0; (got = ::read(terminal, buffer.data(), buffer.size())) > 0;) {
      screen.append(buffer.data(), static_cast<std::size_t>(got));
    }
  };
  for (int i = 0; i < 500 && slave.requests < 20; ++i) {
    look();
    ::usleep(10'000);
  }
  REQUIRE(slave.requests >= 20);
  REQUIRE(::write(terminal, "\x13", 1) == 1);  // Ctrl-S
  ::usleep(300'000);
  look();
  const unsigned before = slave.requests;
  ::usleep(2'000'000);
  CHECK(slave.requests - before > 10);         // of 100; nobody reads either
  REQUIRE(::write(terminal, "\x03", 1) == 1);  // Ctrl-C
  int status = -1;
  for (int i = 0; i < 1000 && ::waitpid(child, &status, WNOHANG) == 0; ++i) {
    look();
    ::usleep(10'000);
  }
  CHECK(WIFEXITED(status));
  look();
  ::close(terminal);
  CHECK(Json::parse(site.read("out/run.json"))["accounted"] == true);
  CHECK(screen.find("\x1b[?1049h") != std::string::npos);
  CHECK(screen.find("\x1b[?1049l") != std::string::npos);
  const bool well = screen.find("run passed") != std::string::npos ||
                    screen.find("run disturbed") != std::string::npos;
  CHECK(well);
}

TEST_CASE("a pipe that nobody reads holds up no request") {
  test::PlainSlave slave(false);
  const test::TemporaryFolder site;
  site.write("plan.toml", tcp_plan("timeout = \"3s\"", "every = \"20ms\""));
  site.write("at.json", fmt::format(R"({{"tcp": {{"10.20.0.31:502": "{}"}}}})", slave.where()));
  // filled to the brim before the run begins
  const test::Outcome outcome = run_in(
      site,
      "mkfifo full; exec 9<>full; dd if=/dev/zero of=full bs=4096 oflag=nonblock 2>/dev/null; " +
          program +
          " run plan.toml --endpoints at.json --duration 4s --tolerate 100% -o out 2>full");
  CHECK(outcome.status == 0);
  // who is held up asks for some first ones, and never comes here
  const Json json = Json::parse(site.read("out/run.json"));
  CHECK(json["accounted"] == true);
  CHECK(json["transactions"][0]["longest_gap_ms"] < 2000);
  CHECK(slave.requests > 4);
}

TEST_CASE("serve bears more connections than it has descriptors for, and ends when told") {
  const test::TemporaryFolder site;
  site.write("plan.toml", tcp_plan("", "every = \"1s\""));
  test::BackgroundProgram served(
      "/bin/bash",
      {"-c", "ulimit -n 24; exec " + program + " serve plan.toml --duration 4s -o served"},
      site.path());
  REQUIRE(site.gets("served/endpoints.json"));
  const std::string at = Json::parse(site.read("served/endpoints.json"))["tcp"]["10.20.0.31:502"];
  {
    std::vector<test::PlainMaster> many;
    for (int i = 0; i < 40; ++i) many.push_back(test::PlainMaster::on_tcp(at));
    CHECK(many.front().ask(255, {3, 0, 10, 0, 1}).size() == 4);
  }
  ::usleep(500'000);
  test::PlainMaster after = test::PlainMaster::on_tcp(at);
  CHECK(after.ask(255, {3, 0, 10, 0, 1}).size() == 4);
  const auto began = std::chrono::steady_clock::now();
  CHECK(served.wait().status == 0);
  CHECK(std::chrono::steady_clock::now() - began < std::chrono::seconds(5));
}

TEST_CASE("serve answers who has said all and listens") {
  const test::TemporaryFolder site;
  site.write("plan.toml", tcp_plan("", "every = \"1s\""));
  test::BackgroundProgram served(GREYMET_PROGRAM, {"serve", "plan.toml", "-o", "served"},
                                 site.path());
  REQUIRE(site.gets("served/endpoints.json"));
  const std::string at = Json::parse(site.read("served/endpoints.json"))["tcp"]["10.20.0.31:502"];
  const int fd = ::socket(AF_INET, SOCK_STREAM, 0);
  sockaddr_in to{};
  to.sin_family = AF_INET;
  to.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  to.sin_port = htons(static_cast<std::uint16_t>(std::stoi(at.substr(at.rfind(':') + 1))));
  REQUIRE(::connect(fd, reinterpret_cast<sockaddr*>(&to), sizeof to) == 0);
  const Octets asked{0, 7, 0, 0, 0, 6, 255, 3, 0, 10, 0, 1};
  REQUIRE(::write(fd, asked.data(), asked.size()) == 12);
  REQUIRE(::shutdown(fd, SHUT_WR) == 0);
  std::size_t all = 0;
  std::array<char, 256> buffer{};
  for (ssize_t got = 0; (got = ::read(fd, buffer.data(), buffer.size())) > 0;) {
    all += static_cast<std::size_t>(got);
  }
  CHECK(all == 11);  // and then the other side closes as well
  ::close(fd);
  served.signal(SIGINT);
  CHECK(served.wait().status == 0);
}

TEST_CASE("the first row of a slow plan is in the log soon, whatever ends the program") {
  test::PlainSlave slave(false);
  const test::TemporaryFolder site;
  site.write("plan.toml", tcp_plan("timeout = \"400ms\"", "every = \"30s\""));
  site.write("at.json", fmt::format(R"({{"tcp": {{"10.20.0.31:502": "{}"}}}})", slave.where()));
  test::BackgroundProgram run(
      GREYMET_PROGRAM, {"run", "plan.toml", "--endpoints", "at.json", "-o", "out"}, site.path());
  for (int i = 0; i < 500 && slave.requests == 0; ++i) ::usleep(10'000);
  ::usleep(1'300'000);
  run.signal(SIGKILL);
  (void)run.wait();
  CHECK(site.read("out/log.csv").find(",in,air,3,1,good,") != std::string::npos);
}

TEST_CASE("a babbling slave is counted, not kept") {
  test::PlainSlave slave(false);
  slave.spoil([](const Octets&, const Octets& reply) {
    std::vector<Octets> out(2000, Octets{0, 1, 0, 0, 0, 3, 9, 0x83, 1});  // nobody asked for these
    out.push_back(reply);
    return out;
  });
  const test::TemporaryFolder site;
  site.write("plan.toml", tcp_plan("timeout = \"900ms\"", "every = \"20ms\""));
  site.write("at.json", fmt::format(R"({{"tcp": {{"10.20.0.31:502": "{}"}}}})", slave.where()));
#ifdef GREYMET_SANITIZED  // sanitizers need more address space than any limit
  const std::string limit;
#else
  const std::string limit = "ulimit -v 300000; ";
#endif
  const test::Outcome outcome = run_in(
      site, limit + "exec " + program + " run plan.toml --endpoints at.json --duration 3s -o out");
  const Json json = Json::parse(site.read("out/run.json"));
  CHECK(json["oddities"] > 4'000);
  CHECK(json["odd_wires"][0]["wire"] == "air");
  CHECK(json["odd_wires"][0]["counts"]["another transaction number"] > 2'000);
  CHECK(outcome.out.find("besides answers, on air: ") != std::string::npos);
}

TEST_CASE("a late slave behind real sockets and lines is never logged good") {
  // on a line: all answers come half a second late, behind a timeout of 150 ms
  test::PlainSlave slave(true);
  for (unsigned i = 0; i < 100; ++i) slave.registers[i] = static_cast<std::uint16_t>(i);
  slave.spoil([](const Octets&, const Octets& reply) {
    ::usleep(500'000);
    return std::vector<Octets>{reply};
  });
  const test::TemporaryFolder site;
  site.write("plan.toml", R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[line.north]
master = "kiln"
mode = "rtu"
baud = 57600
format = "8E1"
timeout = "150ms"
[slave.gauge]
line = "north"
unit = 1
[exchange]
transactions = [
  { name = "t", slave = "gauge", fc = 3, at = 10, count = 2, into = "%MW10", every = "200ms" },
  { name = "u", slave = "gauge", fc = 3, at = 20, count = 2, into = "%MW20", every = "300ms" },
]
)");
  site.write("at.json", fmt::format(R"({{"lines": {{"north": "{}"}}}})", slave.where()));
  const test::Outcome outcome =
      run_in(site, program + " run plan.toml --endpoints at.json --unpaced --duration 6s -o out");
  CHECK(outcome.status == 1);
  const Json json = Json::parse(site.read("out/run.json"));
  for (const Json& t : json["transactions"]) CHECK(t["good"] == 0);
  CHECK(json["accounted"] == true);
}

}  // namespace ends
