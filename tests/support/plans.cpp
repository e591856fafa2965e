#include "plans.h"

#include <fmt/format.h>
#include <catch2/catch.hpp>

namespace greymet::test {

files::LoadedPlan load(const std::string& plan, Files others) {
  others["plan.toml"] = plan;
  return files::load_plan("plan.toml", files::memory_files(std::move(others)));
}

namespace {

model::Findings all_findings(const std::string& plan, Files others, const std::string& rules) {
  if (others.empty()) others = base_files();
  const files::LoadedPlan loaded = load(plan, std::move(others));
  const auto selection = checks::parse_rule_selection(rules);
  REQUIRE(selection.has_value());
  return checks::check(loaded.plan, loaded.findings, *selection);
}

}  // namespace

std::vector<std::string> findings_of(const std::string& plan, Files others,
                                     const std::string& rules) {
  std::vector<std::string> out;
  for (const auto& f : all_findings(plan, std::move(others), rules)) {
    out.push_back(fmt::format("{} {} {}:{} {}: {}", to_string(f.severity), to_string(f.rule),
                              f.place.line, f.place.column, f.subject, f.message));
  }
  return out;
}

std::vector<std::string> findings_of_rule(const std::string& code, const std::string& plan,
                                          Files others) {
  std::vector<std::string> out;
  // P09 depends on what else was found; all others may be picked alone
  for (const auto& f :
       all_findings(plan, std::move(others), code == "P09" ? "P,S,N,F,M,D,C" : code)) {
    out.push_back(
        fmt::format("{} {}: {} | {}", to_string(f.severity), f.subject, f.message, f.remedy));
  }
  return out;
}

std::string base_plan() {
  return R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 1000, serves = "hr:0" }
"%MX" = { kind = "bit", first = 0, count = 256 }
[line.north]
master = "kiln"
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
)";
}

Files base_files() {
  // gauge: hr 0..7 (moisture 0-1, temp 2-3, state 4, code 5, count 6-7), 10..13, 20 w, 30 r; ir
  // 0..3
  return {{"gauge.csv",
           "point,area,address,type,access\n"
           "moisture,hr,0,f32,rw\ntemp,hr,2,f32,rw\nstate,hr,4,bits,rw\ncode,hr,5,u16,rw\n"
           "count,hr,6,u32,rw\n"
           "low,hr,10,u16,rw\nhigh,hr,11,u16,rw\nmode,hr,12,u16,rw\nfilter,hr,13,u16,rw\n"
           "reset,hr,20,u16,w\nserial,hr,30,u16,r\n"
           "raw1,ir,0,u16,r\nraw2,ir,1,u16,r\nraw3,ir,2,u16,r\nraw4,ir,3,u16,r\n"
           "lamp,co,0,bool,rw\nhorn,co,1,bool,rw\n"},
          {"pump.csv", "point,area,address,type\nspeed,hr,0,i16\npower,hr,1,i16\n"}};
}

std::string with_rows(const std::vector<std::string>& rows) {
  std::string text = base_plan() + "[exchange]\ntransactions = [\n";
  for (const std::string& row : rows) text += "  " + row + ",\n";
  return text + "]\n";
}

std::string nothing_unused(std::string plan) {
  // may run before the tests do: no assertions
  const std::string area = "\"%MX\" = { kind = \"bit\", first = 0, count = 256 }\n";
  plan.erase(plan.find(area), area.size());
  const std::size_t pump = plan.find("[slave.pump]");
  return plan.erase(pump, plan.find("[exchange]") - pump);
}

std::string replaced(std::string text, const std::string& what, const std::string& with) {
  const std::size_t at = text.find(what);
  INFO("looking for: " << what);
  REQUIRE(at != std::string::npos);
  return text.replace(at, what.size(), with);
}

}  // namespace greymet::test
