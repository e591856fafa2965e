// Every example of the catalogue: the wrong one fires its rule, the right one does not.
#include <catch2/catch.hpp>

#include <algorithm>
#include <map>
#include <sstream>

#include "checks/catalogue.h"
#include "plans.h"

using namespace greymet;

namespace {

// Sections of a plan in order, each with its lines by key.
class Sections {
 public:
  void merge(const std::string& text) {
    std::istringstream in(text);
    std::string line;
    while (std::getline(in, line)) {
      if (line.starts_with('{')) {
        rows_ += "  " + line + ",\n";
      } else if (line.starts_with('[')) {
        section_ = line;
        if (std::find(order_.begin(), order_.end(), line) == order_.end()) order_.push_back(line);
      } else if (!line.empty()) {
        const std::string key = line.substr(0, line.find(" ="));
        auto& keys = keys_[section_];
        const auto same = [&](const auto& entry) { return entry.first == key; };
        const auto at = std::find_if(keys.begin(), keys.end(), same);
        if (at == keys.end()) {
          keys.emplace_back(key, line);
        } else {
          at->second = line;
        }
      }
    }
  }
  [[nodiscard]] std::string text() const {
    std::string out;
    for (const std::string& section : order_) {
      out += section + "\n";
      const auto keys = keys_.find(section);
      if (keys == keys_.end()) continue;
      for (const auto& [key, line] : keys->second) out += line + "\n";
      if (section == "[exchange]") out += "transactions = [\n" + rows_ + "]\n";
    }
    return out;
  }

 private:
  std::vector<std::string> order_;
  std::string section_;
  std::map<std::string, std::vector<std::pair<std::string, std::string>>> keys_;
  std::string rows_;
};

const char* const surroundings = R"([controller.kiln]
scan = "10ms"
address = "10.20.0.10/24"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 1000, serves = "hr:0" }
"%MX" = { kind = "bit", first = 0, count = 256 }
[controller.loadout]
scan = "8ms"
address = "10.20.0.12/24"
answers = [ { port = 502 } ]
[controller.loadout.memory]
"%MW" = { kind = "word", first = 0, count = 500, serves = "hr:0" }
[line.north]
master = "kiln"
mode = "rtu"
baud = 19200
format = "8E1"
[gateway.roof]
host = "10.20.0.40"
[line.roof]
via = "roof"
mode = "rtu"
baud = 19200
format = "8E1"
[slave.gauge]
line = "north"
unit = 12
map = "gauge.csv"
map_covers = "all"
word_order = "CDAB"
reply = { typical = "5ms", max = "20ms" }
[slave.pump]
line = "north"
unit = 13
map = "pump.csv"
reply = { typical = "5ms", max = "20ms" }
[slave.weather]
line = "roof"
unit = 1
[slave.air]
host = "10.20.0.31"
[slave.steam]
host = "10.20.0.32"
[exchange]
note = ""
[supervision]
[review]
)";

test::Files files_with(const std::string& example) {
  test::Files files = test::base_files();
  files["gauge.csv"] += "name,hr,40,text(10),r\n";
  files["pump.csv"] =
      "point,area,address,type,factor\nspeed,hr,0,i16,0.1\npower,hr,1,u16,1\nhours,hr,10,u32,1\n";
  files["small.toml"] =
      "protocols = [\"rtu-master\", \"tcp-server\"]\nfunctions = [3, 6, 16]\nmax_transactions = "
      "3\nmin_period = \"200ms\"\nalign32 = true\nseries = \"A\"\nneeds = { \"tcp-client\" = "
      "\"series B\" }\n";
  files["drive.csv"] = "point,area,address,type,write_fc\nspeed,hr,0,u16,\ncommand,hr,1,u16,6\n";
  if (example.starts_with("point,")) files["gauge.csv"] = example + "\n";
  return files;
}

std::vector<std::string> findings_in(const checks::RuleEntry& entry, std::string_view example) {
  Sections sections;
  sections.merge(surroundings);
  const std::size_t gap = std::min(example.find("\n\n"), example.size());
  const std::string text(example.substr(0, gap));
  const bool is_map = text.starts_with("point,");
  const std::string behind(gap < example.size() ? example.substr(gap + 2) : std::string_view());
  sections.merge(is_map ? behind : text);
  std::string plan = sections.text();
  plan.erase(plan.find("note = \"\"\n"), std::string_view("note = \"\"\n").size());
  INFO(plan);
  test::Files files = files_with(text);
  if (gap < example.size() && !is_map) files["tags.csv"] = behind + "\n";
  return test::findings_of_rule(std::string(to_string(entry.code)), plan, files);
}

}  // namespace

TEST_CASE("the wrong example of every rule fires it, the right one does not") {
  for (const checks::RuleEntry& entry : checks::catalogue()) {
    INFO(to_string(entry.code));
    // what the surroundings alone have is not the example's
    const auto before = findings_in(entry, "");
    const auto is_new = [&](const std::string& finding) {
      return std::find(before.begin(), before.end(), finding) == before.end();
    };
    const auto wrong = findings_in(entry, entry.wrong);
    CHECK(std::any_of(wrong.begin(), wrong.end(), is_new));
    // milder is possible, graver is not
    for (const std::string& finding : wrong) {
      INFO(finding);
      if (entry.severity != model::Severity::error) CHECK_FALSE(finding.starts_with("error"));
      if (entry.severity == model::Severity::note) CHECK(finding.starts_with("note"));
    }
    const auto right = findings_in(entry, entry.right);
    for (const std::string& finding : right) {
      if (is_new(finding)) FAIL_CHECK(to_string(entry.code) << ": " << finding);
    }
    CHECK_FALSE(entry.remedy.empty());
    CHECK(entry.wrong != entry.right);
  }
}
