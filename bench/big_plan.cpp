#include "big_plan.h"

#include <filesystem>
#include <fstream>
#include <vector>

#include <fmt/format.h>

#include "files/plan_loader.h"
#include "model/resolved_plan.h"

namespace greymet::bench {
namespace {

constexpr int points_in_a_map = 60;  // three runs of 20 registers pairs, a hole between them
constexpr int maps = 20;
constexpr int run_length = 3;  // registers read by one transaction

// Runs of three registers (u16, f32) with a hole behind each.
std::string map_text() {
  std::string text = "point,area,address,type,unit,min,max,access\n";
  for (int i = 0; i < points_in_a_map / 2; ++i) {
    const int at = i * (run_length + 1);
    text +=
        fmt::format("state_{0},hr,{1},u16,,,,r\nvalue_{0},hr,{2},f32,%,0,100,rw\n", i, at, at + 1);
  }
  return text;
}

}  // namespace

std::string write_big_plan(const std::string& folder, const PlanSize& size) {
  std::filesystem::create_directories(folder + "/maps");
  for (int m = 0; m < maps; ++m) {
    std::ofstream(fmt::format("{}/maps/m{}.csv", folder, m)) << map_text();
  }
  std::string text = "[plan]\ntitle = \"benchmark\"\n";
  const int per_slave = size.transactions / size.slaves;
  for (int l = 0; l < size.lines; ++l) {
    text += fmt::format(
        "[controller.c{0}]\nscan = \"10ms\"\nword_order = "
        "\"CDAB\"\n{1}[controller.c{0}.memory]\n\"%MW\" = {{ kind = "
        "\"word\", "
        "first = 0, count = 8000 }}\n[line.l{0}]\nmaster = \"c{0}\"\nmode = \"rtu\"\nbaud = "
        "115200\n"
        "format = \"8E1\"\n",
        l, size.tags ? fmt::format("tags = \"tags{}.csv\"\n", l) : std::string());
  }
  std::vector<std::string> tables(static_cast<std::size_t>(size.lines),
                                  "tag,address,type,from,max_age\n");
  for (int s = 0; s < size.slaves; ++s) {
    text += fmt::format(
        "[slave.s{}]\nline = \"l{}\"\nunit = {}\nmap = \"maps/m{}.csv\"\nmap_covers = "
        "\"all\"\nholes = "
        "\"refuse\"\nword_order = \"CDAB\"\nreply = {{ typical = \"1ms\", max = \"3ms\" "
        "}}\nsettings = {{ "
        "mode = \"rtu\", baud = 115200, format = \"8E1\" }}\n",
        s, s % size.lines, s / size.lines + 1, s % maps);
  }
  text += "[exchange]\ntransactions = [\n";
  for (int s = 0; s < size.slaves; ++s) {
    for (int t = 0; t < per_slave; ++t) {
      const int words = ((s / size.lines) * per_slave + t) * 4;
      tables[static_cast<std::size_t>(s % size.lines)] += fmt::format(
          "s{0}_state_{1},%MW{2},UINT,s{0}.state_{1},\ns{0}_value_{1},%MW{3},REAL,s{0}.value_{1},"
          "60s"
          "\ns{0}_own_{1},%MW{4},INT,program,\n",
          s, t, words, words + 1, words + 3);
      text += fmt::format(
          "  {{ name = \"t{}-{}\", slave = \"s{}\", fc = 3, at = {}, count = {}, into = \"%MW{}\", "
          "every = "
          "\"{}s\", phase = \"{}ms\", on_loss = \"hold\" }},\n",
          s, t, s, t * (run_length + 1), run_length, words, 10 * (1 + t % 3), (t * 37 + s) % 9000);
    }
  }
  for (int l = 0; size.tags && l < size.lines; ++l) {
    std::ofstream(fmt::format("{}/tags{}.csv", folder, l)) << tables[static_cast<std::size_t>(l)];
  }
  text += "]\n";
  const std::string path = folder + "/plan.toml";
  std::ofstream(path) << text;
  return path;
}

model::ResolvedPlan plan_of_wants(int slaves, int points, int lines) {
  std::string plan;
  for (int l = 0; l < lines; ++l) {
    plan += fmt::format(
        "[controller.c{0}]\nscan = \"10ms\"\n[controller.c{0}.memory]\n\"%MW\" = {{ kind = "
        "\"word\", first = 0, count = 60000 }}\n[line.l{0}]\nmaster = \"c{0}\"\nmode = "
        "\"rtu\"\nbaud = 115200\nformat = \"8E1\"\n",
        l);
  }
  std::string wants;
  for (int s = 0; s < slaves; ++s) {
    plan += fmt::format(
        "[slave.s{}]\nline = \"l{}\"\nunit = {}\nmap = \"m.csv\"\nreply = {{ typical = \"2ms\", "
        "max = \"5ms\" }}\n",
        s, s % lines, 1 + s / lines);
    wants += fmt::format(
        "  {{ slave = \"s{0}\", points = [\"fast*\"], every = \"10s\", into = \"%MW\" }},\n  {{ "
        "slave = \"s{0}\", points = [\"slow*\"], every = \"60s\", into = \"%MW\" }},\n",
        s);
  }
  plan += "[exchange]\ntransactions = []\nwants = [\n" + wants + "]\n";
  std::string map = "point,area,address,type\n";
  int at = 0;
  for (int p = 0; p < points; ++p) {
    map += fmt::format("{}{},hr,{},{}\n", p % 4 == 3 ? "slow" : "fast", p, at,
                       p % 3 == 0 ? "f32" : "u16");
    at += (p % 3 == 0 ? 2 : 1) + (p % 5 == 0 ? 3 : 0) + (p % 17 == 0 ? 40 : 0);
  }
  return files::load_plan("plan.toml", files::memory_files({{"plan.toml", plan}, {"m.csv", map}}))
      .plan;
}

}  // namespace greymet::bench
