#include "model/address_lookup.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <set>

#include <fmt/format.h>

#include "model/ip_address.h"
#include "plans.h"

using namespace greymet;
using namespace greymet::model;

namespace {

// "hr:13 reference", "*:40014 decimal, counted from 0": one line a meaning.
std::vector<std::string> meanings(const std::string& text) {
  std::vector<std::string> out;
  const auto found = meanings_of(text);
  if (!found) return {"! " + found.error().message};
  for (const AddressMeaning& m : found->meanings) {
    out.push_back(fmt::format("{}:{}{} {}", m.area ? short_name(*m.area) : "*", m.offset.value,
                              m.bit ? fmt::format(".{}", *m.bit) : "", m.how));
  }
  return out;
}

using Lines = std::vector<std::string>;

}  // namespace

TEST_CASE("every reading of an address text") {
  CHECK(meanings("0x1001") ==
        Lines{"*:4097 hexadecimal, counted from 0", "*:4096 hexadecimal, counted from 1"});
  for (const char* same : {"H1001", "1001h", "16#1001"})
    CHECK(meanings(same) == meanings("0x1001"));
  CHECK(meanings("40014") == Lines{"hr:13 reference", "*:40014 decimal, counted from 0",
                                   "*:40013 decimal, counted from 1"});
  CHECK(meanings("404097") == Lines{"hr:4096 reference"});  // beyond 65535 as a number
  CHECK(meanings("\"44097\"") == meanings("44097"));
  CHECK(meanings("ref:44097") == Lines{"hr:4096 reference"});
  CHECK(meanings("hr:0x1000") == Lines{"hr:4096 explicit, counted from 0"});
  CHECK(meanings("hr:40.3") == Lines{"hr:40.3 explicit, counted from 0"});
  CHECK(meanings("100") == Lines{"*:100 decimal, counted from 0", "*:99 decimal, counted from 1",
                                 "*:256 hexadecimal typed as decimal, counted from 0",
                                 "*:255 hexadecimal typed as decimal, counted from 1"});
  CHECK(meanings("5") == Lines{"*:5 decimal, counted from 0", "*:4 decimal, counted from 1"});
  CHECK(meanings("0") == Lines{"*:0 decimal, counted from 0"});
  // a digit that no area has: only a number
  CHECK(meanings("20001") ==
        Lines{"*:20001 decimal, counted from 0", "*:20000 decimal, counted from 1"});
  CHECK(meanings("00017") ==
        Lines{"co:16 reference", "*:17 decimal, counted from 0", "*:16 decimal, counted from 1"});
  CHECK(meanings("65536") == Lines{"*:65535 decimal, counted from 1"});
}

TEST_CASE("doubts say why there are several readings") {
  CHECK(meanings_of("404097")->doubts.empty());
  CHECK(meanings_of("hr:5")->doubts.empty());
  CHECK(meanings_of("0x10")->doubts == Lines{"manuals count from 0 or from 1",
                                             "it does not say which of the four areas is meant"});
  CHECK(meanings_of("40014")->doubts.front() == "it may be a reference or a plain number");
  CHECK(meanings_of("100")->doubts.front() ==
        "its digits may be decimal, or hexadecimal without a mark");
}

TEST_CASE("texts that are no addresses") {
  for (const char* bad : {"", "banana", "hr:", "hr:70000", "0x", "0x10000000000", "-1", "hr:1.99",
                          "99999999999999999999", "%MW1"}) {
    INFO(bad);
    CHECK(meanings(bad).at(0).starts_with("! "));
  }
  CHECK(meanings_of("700000").error().message ==
        "'700000' is beyond every area: addresses end at 65535, references at 465536");
  CHECK(look_up_address("hr:99999", nullptr, "").error().message ==
        "'hr:99999' lies outside 0 to 65535");
  CHECK(look_up_address("banana", nullptr, "").error().message ==
        "'banana' is no number and can only be a name in a plan");
}

TEST_CASE("a reading written out again is the same address") {
  rc::prop("references and explicit texts", [] {
    const Address address{*rc::gen::element(Area::coil, Area::discrete_input, Area::input_register,
                                            Area::holding_register),
                          {*rc::gen::arbitrary<std::uint16_t>()}};
    for (const std::string& text : {to_text(address), reference6(address)}) {
      const auto found = meanings_of(text);
      RC_ASSERT(found.has_value());
      RC_ASSERT(found->meanings.front().area == std::optional(address.area));
      RC_ASSERT(found->meanings.front().offset == address.offset);
    }
  });
}

TEST_CASE("with a plan the points are named") {
  const auto loaded = test::load(
      test::replaced(test::base_plan(), "[slave.pump]\n", "[slave.pump]\nnumbering = \"from-1\"\n"),
      {{"gauge.csv", test::base_files()["gauge.csv"]},
       {"pump.csv", "point,area,address,type\nspeed,hr,1,i16\npower,hr,2,i16\n"}});
  REQUIRE(loaded.findings.empty());
  const auto points = [&](const std::string& text, const std::string& slave = "") {
    Lines out;
    const auto found = look_up_address(text, &loaded.plan, slave);
    for (const auto& answer : found->answers) {
      for (const auto& point : answer.points) out.push_back(to_text(answer.address) + " " + point);
    }
    return out;
  };
  CHECK(points("hr:1") == Lines{"hr:1 gauge.moisture + 1", "hr:1 pump.power"});
  // gauge's manual counts from 0, pump's from 1
  CHECK(points("1") ==
        Lines{"hr:1 gauge.moisture + 1", "ir:1 gauge.raw2", "co:1 gauge.horn", "hr:0 pump.speed"});
  CHECK(points("1", "pump") == Lines{"hr:0 pump.speed"});
  CHECK(points("power") == Lines{"hr:1 pump.power"});
  CHECK(points("gauge.temp") == Lines{"hr:2 gauge.temp"});
  CHECK(points("%MW7") == Lines{"hr:7 kiln %MW7"});
  CHECK(look_up_address("%MX7", &loaded.plan, "").error().message ==
        "'%MX7' of controller kiln is not served to peers");
  CHECK(look_up_address("%MW7000", &loaded.plan, "").error().message.find("lies outside %MW") !=
        std::string::npos);
  CHECK(look_up_address("powre", &loaded.plan, "").error().message ==
        "'powre' is neither an address nor a point or memory of the plan");
}

TEST_CASE("where a function says the area, no other one is read") {
  const auto read = [](const std::string& text, std::optional<Area> area) {
    Lines out;
    const auto found = look_up_address(text, nullptr, "", area);
    for (const auto& answer : found->answers) out.push_back(to_text(answer.address));
    for (const auto& doubt : found->doubts) out.push_back(doubt);
    return out;
  };
  CHECK(read("5", Area::input_register) == Lines{"ir:5", "ir:4", "manuals count from 0 or from 1"});
  CHECK(read("5", std::nullopt).size() == 10);
  CHECK(read("0x0005", Area::coil).front() == "co:5");
  // what is of another area all by itself is told
  CHECK(read("hr:7", Area::input_register) == Lines{"hr:7"});
  CHECK(read("hr:7", Area::holding_register) == Lines{"hr:7"});
  // a reference may be a plain number too, of the area that is known
  const Lines number = read("30001", Area::holding_register);
  CHECK(std::find(number.begin(), number.end(), "hr:30001") != number.end());
  CHECK(std::find(number.begin(), number.end(), "ir:0") == number.end());
}

TEST_CASE("addresses of boxes") {
  const auto ip = [](const char* text) { return parse_ipv4(text); };
  CHECK(ip("10.20.0.31")->bits == ((10U << 24U) | (20U << 16U) | 31U));
  CHECK(ip("10.20.0.10/24")->prefix == 24U);
  for (const char* bad : {"", "10.20.0", "10.20.0.256", "10.20.0.1.", "10.20.0.01", "10..0.1",
                          "10.20.0.1/33", "10.20.0.1/", "a.b.c.d", "10.20.0.1/-1", " 10.0.0.1"}) {
    INFO(bad);
    CHECK_FALSE(ip(bad).has_value());
  }
  CHECK(subnet_text(*ip("10.20.3.10/22")) == "10.20.0.0/22");
  CHECK(subnet_text(*ip("10.20.3.10/0")) == "0.0.0.0/0");
  CHECK(ip("10.20.3.10/22")->shares_subnet_with(*ip("10.20.0.1")));
  CHECK_FALSE(ip("10.20.3.10/24")->shares_subnet_with(*ip("10.20.2.10")));
  CHECK(ip("10.20.3.10/24")->names_network(*ip("10.20.3.0")));
  CHECK(ip("10.20.3.10/24")->names_everybody(*ip("10.20.3.255")));
  // RFC 3021: a /31 has no network and no broadcast address, a /30 has both
  for (std::uint32_t prefix = 24; prefix <= 32; ++prefix) {
    const auto own = *ip(("10.20.3.0/" + std::to_string(prefix)).c_str());
    const std::uint32_t size = 1U << (32 - prefix);
    for (std::uint32_t last = 0; last < 256; ++last) {
      const auto other = *ip(("10.20.3." + std::to_string(last)).c_str());
      INFO(prefix << " " << last);
      CHECK(own.shares_subnet_with(other) == (last < size));
      CHECK(own.names_network(other) == (size >= 4 && last == 0));
      CHECK(own.names_everybody(other) == (size >= 4 && last == size - 1));
    }
  }
  CHECK_FALSE(ip("10.20.3.0/31")->names_network(*ip("10.20.3.0")));
  CHECK(check_host(std::string(300, 'a')).has_value() == false);
  CHECK(check_host("a-.plant").has_value() == false);
  CHECK(check_host("1::2::3").has_value() == false);
}

TEST_CASE("zeros in front make a number more likely hexadecimal, and are none in a plan") {
  const auto found = meanings_of("0048");
  REQUIRE(found);
  REQUIRE(found->meanings.size() == 4);
  CHECK(found->meanings[0].how == "hexadecimal without a mark, counted from 0");
  CHECK(found->meanings[0].offset.value == 0x48);
  CHECK(found->meanings[1].offset.value == 0x47);
  CHECK(found->meanings[2].how == "decimal, counted from 0");
  CHECK(found->meanings[2].offset.value == 48);
  const auto letters = meanings_of("000A");
  REQUIRE(letters);
  REQUIRE(letters->meanings.size() == 2);
  CHECK(letters->meanings[0].how == "hexadecimal without a mark, counted from 0");
  CHECK(letters->meanings[0].offset.value == 10);
  CHECK_FALSE(meanings_of("00G0"));
  // digits that mean the same in both are said once
  CHECK(meanings_of("0007")->meanings.size() == 2);
  const auto loaded = test::load(R"([controller.plc]
scan = "10ms"
[slave.m]
host = "10.0.0.3"
)");
  const auto answers = look_up_address("0048", &loaded.plan, "m");
  REQUIRE(answers);
  std::set<std::string> planned;
  for (const auto& each : answers->answers) planned.insert(each.planned);
  CHECK(planned == std::set<std::string>{"", "at = 0x0048", "at = 48"});
}
