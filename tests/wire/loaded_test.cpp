// Which exchange a controller runs, as it tells itself: asked of a peer that was written for these
// tests, and against the word in the program that was exported.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "plain_modbus.h"
#include "process.h"

using namespace greymet;
using test::PlainSlave;
using LoadedJson = nlohmann::ordered_json;

namespace {

// loadout answers, and keeps its fingerprint in %MW10: the tenth of what begins at hr:1000.
constexpr const char* two_controllers = R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 400 }
[controller.loadout]
scan = "8ms"
address = "10.20.0.12/24"
answers = [ { port = 502, timeout = "300ms" } ]
fingerprint = "%MW10"
[controller.loadout.memory]
"%MW" = { kind = "word", first = 1, count = 200, serves = "hr:1000" }
[exchange]
transactions = [
  { name = "weight-in", slave = "loadout", controller = "kiln", fc = 3, at = 1000, count = 2, into = "%MW0", every = "200ms", on_loss = "hold" },
]
)";

struct LoadedSite {
  LoadedSite() : loadout(false) {
    folder.write("plan.toml", two_controllers);
    folder.write("at.json", LoadedJson{{"lines", LoadedJson::object()},
                                       {"tcp", {{"10.20.0.12:502", loadout.where()}}}}
                                .dump());
  }
  [[nodiscard]] test::Outcome say(std::vector<std::string> words) const {
    return test::run_program(GREYMET_PROGRAM, words, folder.path());
  }
  [[nodiscard]] test::Outcome run_as_kiln() const {
    return say({"run", "plan.toml", "--controller", "kiln", "--endpoints", "at.json", "--duration",
                "500ms", "--json"});
  }
  // The first four digits of the fingerprint that the export states.
  [[nodiscard]] std::string word() const {
    const auto exported = say({"export", "plan.toml", "-o", "handover", "--force"});
    REQUIRE(exported.status == 0);
    const auto document = LoadedJson::parse(folder.read("handover/exchange.json"));
    std::string digits = std::string(document["fingerprint"]).substr(7, 4);
    for (char& c : digits) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
    return digits;
  }
  test::TemporaryFolder folder;
  PlainSlave loadout;
};

}  // namespace

TEST_CASE("probe says whether a controller runs the exchange of the plan") {
  LoadedSite site;
  const std::string word = site.word();
  site.loadout.registers[1009] = static_cast<std::uint16_t>(std::stoul(word, nullptr, 16));
  const auto same = site.say({"probe", "plan.toml", "loadout", "--endpoints", "at.json"});
  INFO(same.out << same.err);
  CHECK(same.status == 0);
  CHECK(same.out.find("hr:1009") != std::string::npos);
  CHECK(same.out.find("this exchange") != std::string::npos);
  CHECK(site.loadout.requests == 1);
  // one word of the exchange is another: the same controller runs what is no longer the plan
  std::string changed = two_controllers;
  changed.replace(changed.find("count = 2,"), 10, "count = 3,");
  site.folder.write("plan.toml", changed);
  const auto other = site.say({"probe", "plan.toml", "--endpoints", "at.json"});
  INFO(other.out << other.err);
  CHECK(other.status == 1);
  CHECK(other.out.find("loadout runs another exchange: it tells " + word + ", this plan's is " +
                       site.word()) != std::string::npos);
}

TEST_CASE("a controller without a program, that refuses, or that serves the word to nobody") {
  LoadedSite site;
  const auto empty = site.say({"probe", "plan.toml", "loadout", "--endpoints", "at.json"});
  CHECK(empty.status == 1);
  CHECK(empty.out.find("loadout tells 0000, not ") != std::string::npos);
  site.loadout.spoil([](const test::Octets& request, const test::Octets&) {
    test::Octets refused(request.begin(), request.begin() + 7);
    refused[5] = 3;
    refused.push_back(0x83);
    refused.push_back(2);
    return std::vector<test::Octets>{refused};
  });
  const auto refuses = site.say({"probe", "plan.toml", "loadout", "--endpoints", "at.json"});
  CHECK(refuses.status == 1);
  CHECK(refuses.out.find("exception 02") != std::string::npos);
  std::string apart = two_controllers;
  apart.replace(apart.find(", serves = \"hr:1000\""), 20, "");
  apart.erase(apart.find("  { name = \"weight-in\""), apart.find("]\n)") - apart.size());
  site.folder.write("plan.toml", apart + "]\n");
  const unsigned before = site.loadout.requests;
  const auto nobody = site.say({"probe", "plan.toml", "loadout", "--endpoints", "at.json"});
  INFO(nobody.out << nobody.err);
  CHECK(nobody.status == 1);
  CHECK(nobody.out.find("its area does not serve %MW10") != std::string::npos);
  CHECK(site.loadout.requests == before);
  const auto kiln = site.say({"probe", "plan.toml", "kiln", "--endpoints", "at.json"});
  CHECK(kiln.status == 2);
  CHECK(kiln.err.find("controller kiln tells nobody which exchange is loaded in it") !=
        std::string::npos);
  const auto more = site.say({"probe", "plan.toml", "loadout", "--holes"});
  CHECK(more.status == 2);
  CHECK(more.err.find("it is asked which exchange is loaded in it, and nothing else") !=
        std::string::npos);
}

TEST_CASE("a run against a controller that runs another exchange does not pass") {
  LoadedSite site;
  const std::string word = site.word();
  site.loadout.registers[1009] = static_cast<std::uint16_t>(std::stoul(word, nullptr, 16));
  const auto same = site.run_as_kiln();
  INFO(same.out << same.err);
  const auto good = LoadedJson::parse(same.out);
  CHECK(same.status == 0);
  CHECK(good["verdict"] == "passed");
  CHECK(good["programs"] ==
        LoadedJson::array(
            {{{"controller", "loadout"}, {"told", word}, {"wanted", word}, {"verdict", "this"}}}));
  site.loadout.registers[1009] ^= 1U;
  const auto other = site.run_as_kiln();
  const auto bad = LoadedJson::parse(other.out);
  CHECK(other.status == 1);
  CHECK(bad["verdict"] == "failed");
  CHECK(bad["programs"][0]["verdict"] == "another");
  CHECK(std::string(bad["because"][0]).starts_with("loadout runs another exchange: it tells "));
}

TEST_CASE("a served controller tells the exchange that it is served from") {
  const LoadedSite site;
  const test::BackgroundProgram serve(GREYMET_PROGRAM, {"serve", "plan.toml", "-o", "served"},
                                      site.folder.path());
  REQUIRE(site.folder.gets("served/endpoints.json"));
  const auto told =
      site.say({"probe", "plan.toml", "loadout", "--endpoints", "served/endpoints.json"});
  INFO(told.out << told.err);
  CHECK(told.status == 0);
  CHECK(told.out.find(site.word()) != std::string::npos);
}
