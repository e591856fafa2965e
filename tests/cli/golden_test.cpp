// What the program prints on the demo, word for word: tests/golden/cli holds it, as somebody looked
// at it. GREYMET_WRITE_GOLDEN=1 writes what is printed now; read the difference before it is
// committed.
#include <catch2/catch.hpp>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>

#include "plans.h"
#include "process.h"

using namespace greymet;
namespace fs = std::filesystem;

namespace {

using Arguments = std::vector<std::string>;

// A folder with the demo's plans, and some more.
class DemoSite : public test::TemporaryFolder {
 public:
  DemoSite() {
    fs::copy(GREYMET_EXAMPLES, path(), fs::copy_options::recursive);
    // half the speed: what fitted does not any more
    std::string slow = read("maltings.toml");
    for (const char* rate : {"baud    = 19200", "baud = 19200"}) {
      for (std::size_t at = slow.find(rate); at != std::string::npos; at = slow.find(rate, at)) {
        slow.replace(
            at, std::string(rate).size(),
            std::string(rate).substr(0, 7) == "baud = " ? "baud = 4800" : "baud    = 4800");
      }
    }
    write("slow.toml", slow);
    write("odd.toml", odd_plan());
  }
  [[nodiscard]] test::Outcome run(const Arguments& arguments) const {
    return test::run_program(GREYMET_PROGRAM, arguments, path());
  }

 private:
  // Ports with latency, silences inside frames, a broadcast, a default reply time, texts to fold.
  static std::string odd_plan() {
    return R"([controller.kiln]
scan = "10ms"
sends = "scan"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 1000 }
[line.odd]
master = "kiln"
mode = "rtu"
baud = 9600
format = "8N1"
latency = { typical = "2ms", max = "6ms" }
character_gap = 0.5
order = "list"
[slave.all]
line = "odd"
unit = 0
[slave.gauge]
line = "odd"
unit = 7
character_gap = 1.0
[exchange]
transactions = [
  { name = "to-all", slave = "all", fc = 16, at = 0, count = 2, from = "%MW10", every = "997ms" },
  { name = "a-transaction-of-a-very-long-name-indeed", slave = "gauge", fc = 3, at = 0, count = 90, into = "%MW100", every = "1009ms", on_loss = "hold" },
  { name = "always", slave = "gauge", fc = 4, at = 0, count = 4, into = "%MW300", every = "continuous", on_loss = "hold" },
  { name = "tight", slave = "gauge", fc = 3, at = 200, count = 1, into = "%MW310", every = "60ms", on_loss = "hold" },
]
)";
  }
};

std::string golden_file(const std::string& name) {
  return std::string(GREYMET_SOURCE) + "/tests/golden/cli/" + name + ".txt";
}

std::string golden(const std::string& name) {
  std::ifstream in(golden_file(name), std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

}  // namespace

TEST_CASE("the commands print on the demo what stands in tests/golden/cli") {
  const DemoSite site;
  const std::vector<std::pair<std::string, Arguments>> rows{
      {"check-maltings", {"check", "maltings.toml"}},
      {"check-draft", {"check", "draft.toml"}},
      {"check-draft-errors", {"check", "draft.toml", "--least", "error", "--rules", "f,M,r"}},
      {"check-slips-fix", {"check", "slips.toml", "--fix", "--dry-run"}},
      {"check-slips-offers", {"check", "slips.toml", "--fix=offers", "--dry-run"}},
      {"check-odd", {"check", "odd.toml"}},
      {"explain-f13", {"explain", "F13"}},
      {"explain-s03", {"explain", "S03"}},
      {"address",
       {"address", "44114", "4113", "hr:4113", "0x1011", "%MW201", "--plan", "maltings.toml",
        "--slave", "burner"}},
      {"address-bare", {"address", "40001", "10001", "1000h", "70000", "hr:65535.3"}},
      {"value",
       {"value", "614E", "00BC", "--type", "u32", "--factor", "0.1", "--near", "1234567.8"}},
      {"value-decimal", {"value", "17142", "59769", "--type", "f32", "--dec"}},
      {"value-bare", {"value", "1234", "5678", "--type", "u32"}},
      {"value-text", {"value", "5055", "4D50", "2033", "--type", "text(6)", "--near", "PUMP 3"}},
      {"frame-read", {"frame", "maltings.toml", "moisture-in"}},
      {"frame-write", {"frame", "maltings.toml", "burner-set"}},
      {"frame-bits", {"frame", "maltings.toml", "steep1-bits"}},
      {"frame-ascii", {"frame", "maltings.toml", "bridge-tare"}},
      {"frame-tcp", {"frame", "maltings.toml", "air-in"}},
      {"frame-broadcast", {"frame", "odd.toml", "to-all"}},
      {"frame-silences", {"frame", "odd.toml", "tight"}},
      {"frame-all", {"frame", "odd.toml"}},
      {"frame-decoded",
       {"frame", "maltings.toml", "--mode", "rtu", "--decode",
        "0x0C 0x03 0x00 0x00 0x00 0x08 0x45 0x11"}},
      {"frame-decoded-write",
       {"frame", "maltings.toml", "--mode", "rtu", "--decode", "05 10 00 00 00 02 41 8C"}},
      {"frame-disturbed", {"frame", "--mode", "rtu", "--decode", "0C 03 00 00 00 08 45 10"}},
      {"frame-both", {"frame", "--mode", "tcp", "--decode", "00 01 00 00 00 06 01 06 00 01 00 02"}},
      {"frame-as-reply",
       {"frame", "--mode", "rtu", "--as", "reply", "--decode", "0C 03 00 00 00 08 45 11"}},
      {"timing-maltings", {"timing", "maltings.toml"}},
      {"timing-slow", {"timing", "slow.toml"}},
      {"timing-dock", {"timing", "maltings.toml", "dock"}},
      {"timing-odd", {"timing", "odd.toml"}},
      {"timing-errors", {"timing", "maltings.toml", "--frame-errors", "0.001", "--pairs"}},
      {"timing-why", {"timing", "maltings.toml", "--why", "meter1-power"}},
      {"pack-maltings", {"pack", "maltings.toml"}},
      {"tune-slow", {"tune", "slow.toml", "--most", "2"}},
      {"tune-odd", {"tune", "odd.toml"}},
      {"points-loadout", {"points", "maltings.toml", "loadout"}},
      {"points-tags", {"points", "maltings.toml", "--tags", "loadout"}},
      {"points-csv", {"points", "maltings.toml", "moisture", "--format", "csv"}},
      {"memory-loadout", {"memory", "maltings.toml", "loadout"}},
      {"memory-moisture", {"memory", "maltings.toml", "moisture"}}};
  const bool write = std::getenv("GREYMET_WRITE_GOLDEN") != nullptr;
  if (write) fs::create_directories(std::string(GREYMET_SOURCE) + "/tests/golden/cli");
  for (const auto& [name, arguments] : rows) {
    const test::Outcome outcome = site.run(arguments);
    const std::string printed = outcome.out +
                                (outcome.err.empty() ? "" : "--- err\n" + outcome.err) +
                                "--- status " + std::to_string(outcome.status) + "\n";
    if (write) std::ofstream(golden_file(name), std::ios::binary) << printed;
    INFO(name);
    CHECK(printed == golden(name));
  }
}
