// Gateways that hand on RTU frames over TCP, in captures: held against the plan, and drafted.
#include <bit>
#include <cmath>

#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "plain_capture.h"
#include "plain_modbus.h"
#include "plans.h"
#include "process.h"

using namespace greymet;
using test::Octets;

namespace {

constexpr const char* behind_a_gateway = R"([plan]
title = "behind a gateway"
[controller.plc]
scan = "10ms"
[controller.plc.memory]
"%MW" = { kind = "word", count = 100 }
[gateway.box]
host = "10.20.0.31"
port = 4001
framing = "rtu"
[line.bus]
via = "box"
mode = "rtu"
baud = 19200
format = "8E1"
[slave.meter]
line = "bus"
unit = 7
[exchange]
transactions = [
  { name = "meter-in", slave = "meter", fc = 3, at = 0, count = 4, into = "%MW0", every = "500ms", on_loss = "hold" },
  { name = "meter-set", slave = "meter", fc = 6, at = 100, from = "%MW50", every = "1s" },
]
)";

Octets rtu(std::uint8_t unit, const Octets& pdu) {
  Octets frame{unit};
  frame.insert(frame.end(), pdu.begin(), pdu.end());
  return test::with_crc(frame);
}

std::uint8_t high(unsigned word) {
  return static_cast<std::uint8_t>(word >> 8U);
}
std::uint8_t low(unsigned word) {
  return static_cast<std::uint8_t>(word & 0xFFU);
}

// Two minutes of such a site: four registers, of which two are a float (low word first), one a
// signed register.
std::string two_minutes(bool has_headers) {
  test::PlainCapture capture;
  test::PlainTalk talk(capture, {31, 4001, 40000, false});
  talk.open(0.5);
  std::uint16_t number = 0;
  const auto wrapped = [&](const Octets& pdu) {
    return has_headers ? test::mbap(number, 7, pdu) : rtu(7, pdu);
  };
  for (int i = 0; i < 240; ++i) {
    const double at = 1 + 0.5 * i;
    ++number;
    const float level = 40 + 3 * std::sin(0.04F * static_cast<float>(i));
    const auto bits = std::bit_cast<std::uint32_t>(level);
    const auto cold = static_cast<std::uint16_t>(std::lround(30 * std::sin(0.3 * i)));
    talk.say(at, true, wrapped({3, 0, 0, 0, 4}));
    talk.say(at + 0.02, false,
             wrapped({3, 8, high(bits & 0xFFFFU), low(bits & 0xFFFFU), high(bits >> 16U),
                      low(bits >> 16U), high(cold), low(cold), 0, 9}));
    if (i % 2 != 0) continue;
    ++number;
    talk.say(at + 0.05, true, wrapped({6, 0, 100, 0, 5}));
    talk.say(at + 0.07, false, wrapped({6, 0, 100, 0, 5}));
  }
  return capture.bytes();
}

struct Site {
  test::TemporaryFolder folder;
  Site() {
    folder.write("plan.toml", behind_a_gateway);
    folder.write("rtu.pcap", two_minutes(false));
    folder.write("tcp.pcap", two_minutes(true));
  }
  test::Outcome run(const std::vector<std::string>& words) const {
    return test::run_program(GREYMET_PROGRAM, words, folder.path());
  }
};

bool is_said(const test::Outcome& outcome, const std::string& words) {
  std::string all;
  for (const char c : outcome.out + outcome.err) {
    if (c != '\n')
      all += c;
    else if (!all.empty() && all.back() != ' ')
      all += ' ';
  }
  return all.find(words) != std::string::npos;
}

}  // namespace

TEST_CASE("RTU frames over TCP are held against a plan that has such a gateway") {
  const Site site;
  const auto good = site.run({"audit", "plan.toml", "rtu.pcap", "--json"});
  INFO(good.out << good.err);
  CHECK(good.status == 0);
  const auto json = nlohmann::json::parse(good.out);
  CHECK(json["requests"] == 360);
  CHECK(json["replies"] == 360);
  REQUIRE(json["transactions"].size() == 2);
  for (const auto& row : json["transactions"]) CHECK(row["verdict"] == "good");
  CHECK(json["unplanned"].empty());
  CHECK(json["remarks"].empty());
}

TEST_CASE("who wraps frames in another way than the plan says is told, with status 1") {
  const Site site;
  const auto headers = site.run({"audit", "plan.toml", "tcp.pcap"});
  CHECK(headers.status == 1);
  CHECK(is_said(headers,
                "at 10.20.0.31:4001 frames have an MBAP header; the plan says framing = \"rtu\" of "
                "gateway 'box': leave that out"));
  site.folder.write("plan.toml",
                    test::replaced(behind_a_gateway, "framing = \"rtu\"", "framing = \"tcp\""));
  CHECK(site.run({"audit", "plan.toml", "tcp.pcap"}).status == 0);
  const auto bare = site.run({"audit", "plan.toml", "rtu.pcap"});
  CHECK(bare.status == 1);
  CHECK(is_said(bare,
                "at 10.20.0.31:4001 RTU frames are spoken, without an MBAP header: write "
                "framing = \"rtu\" at gateway 'box'"));
}

TEST_CASE("a plan that is drafted has the gateway, and what values are likely to be") {
  const Site site;
  const std::vector<std::string> call{"audit",   "--plan-from", "rtu.pcap",
                                      "drafted", "--map",       "10.20.0.31:4001=10.20.0.31:4001"};
  const auto drafted = site.run(call);
  INFO(drafted.out << drafted.err);
  CHECK(drafted.status == 0);
  CHECK(is_said(drafted, "check: no errors"));
  const std::string plan = site.folder.read("drafted/plan.toml");
  INFO(plan);
  CHECK(plan.find("[gateway.gateway-bus]") != std::string::npos);
  CHECK(plan.find("framing = \"rtu\"\n") != std::string::npos);
  CHECK(plan.find("[slave.device31]\nline = \"bus\"\nunit = 7\n") != std::string::npos);
  const std::string map = site.folder.read("drafted/maps/device31.csv");
  INFO(map);
  CHECK(map.find("hr0,hr,0,f32,CDAB,r,\"likely f32, low word first: 37") != std::string::npos);
  CHECK(map.find("\r\nhr1,") == std::string::npos);
  CHECK(map.find("hr2,hr,2,i16,,r,\"likely i16: -30 to 30, changed ") != std::string::npos);
  CHECK(map.find("hr3,hr,3,u16,,r,\"always 9\"\r\n") != std::string::npos);
  // what was drafted is what was on the wire
  const auto again = site.run({"audit", "drafted/plan.toml", "rtu.pcap", "--json"});
  const auto json = nlohmann::json::parse(again.out);
  CHECK(json["unplanned"].empty());
  for (const auto& row : json["transactions"]) CHECK(row["verdict"] == "good");
  // without its port nobody looks there
  const auto nobody = site.run({"audit", "--plan-from", "rtu.pcap", "other"});
  CHECK(nobody.status == 1);
  CHECK(is_said(nobody, "10.20.0.31:4001"));
}
