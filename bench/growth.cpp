// How the time of commands grows with their input: families of plans that once took too long, each
// at three sizes. Prints the slope of time over bytes; above 1.3 it is red, and the status is 1. So
// it is where the largest takes more than 8 MB and 40 times its bytes, in a process of its own.
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cmath>
#include <functional>
#include <iterator>
#include <map>
#include <string>
#include <vector>

#include <fmt/format.h>

#include "checks/check.h"
#include "exports/exchange_diff.h"
#include "exports/exports.h"
#include "exports/report.h"
#include "files/exchange_export.h"
#include "files/map_import.h"
#include "files/plan_loader.h"
#include "model/memory_report.h"
#include "model/resolved_plan.h"
#include "packing/pack.h"
#include "packing/tune.h"
#include "timing/point_ages.h"
#include "timing/report.h"

#include "growth_plans.h"

using namespace greymet;
using bench::rows;

namespace {

constexpr double steepest = 1.3;
constexpr double most_memory = 40;  // times the input, beyond
constexpr double allowance = 8e6;   // bytes

struct Input {
  std::string plan;
  std::string map = "point,area,address,type\np,hr,0,u16\n";
  std::string tags = {};
};

const std::string tagged_head = R"([controller.plc]
scan = "10ms"
tags = "tags.csv"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 60000 }
[line.l]
master = "plc"
mode = "rtu"
baud = 19200
format = "8E1"
[slave.a]
line = "l"
unit = 1
map = "m.csv"
)";

// A read of each second point, and a write of each other.
Input points_read_and_written(std::size_t n);
void with_exports(const files::LoadedPlan& loaded,
                  const std::function<void(const exports::ExportInput&)>& use) {
  const model::PointList points = model::point_list(loaded.plan);
  const timing::TimingReport timing = timing::analyse_longest(loaded.plan);
  const auto ages = timing::age_bounds(loaded.plan, points, timing);
  use({loaded.plan, points, ages, timing, loaded.findings, files::fingerprint_of(loaded.plan)});
}

const std::string head = R"([controller.plc]
scan = "10ms"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 60000 }
"%M" = { kind = "bit", inside = "%MW", first = 0, count = 60000 }
[line.l]
master = "plc"
mode = "rtu"
baud = 19200
format = "8E1"
[slave.a]
line = "l"
unit = 1
map = "m.csv"
)";

std::string exchange(const std::string& transactions, const std::string& behind = {}) {
  return "[exchange]\ntransactions = [\n" + transactions + "]\n" + behind;
}

using Run = std::function<void(const files::LoadedPlan&)>;

Input points_read_and_written(std::size_t n) {
  std::string map = "point,area,address,type\n";
  std::string list;
  for (std::size_t i = 0; i < n; ++i) {
    map += fmt::format("p{},hr,{},u16\n", i, i);
    list += fmt::format(
        "{{ name = \"in{0}\", slave = \"a\", fc = {1}, at = {0}, count = 1, {2} = \"%MW{0}\", "
        "every = "
        "\"60s\", on_loss = \"hold\" }},\n",
        i, i % 2 == 0 ? 3 : 16, i % 2 == 0 ? "into" : "from");
  }
  return {head + exchange(list), map};
}

// As many slaves as points, all of one map; each is asked for one value.
Input slaves_of_one_map(std::size_t n) {
  std::string slaves;
  for (std::size_t i = 0; i < n; ++i) {
    slaves += fmt::format("[slave.s{}]\nhost = \"10.1.{}.{}\"\nmap = \"m.csv\"\n", i, i / 250,
                          i % 250 + 2);
  }
  return {head + slaves +
              exchange(rows(n,
                            "{{ name = \"t{0}\", slave = \"s{0}\", fc = 3, at = 0, count = 1, "
                            "into = \"%MW{0}\", every = \"60s\" }},\n")),
          "point,area,address,type\n" + rows(n, "p{0},hr,{0},u16\n")};
}

struct Family {
  const char* name;
  std::function<Input(std::size_t)> input;
  std::size_t smallest;
  Run run;
  const char* cap = nullptr;  // what bounds its memory, where a byte can ask for more
};

void check_it(const files::LoadedPlan& loaded) {
  (void)checks::check(loaded.plan, loaded.findings);
}
void memory_of(const files::LoadedPlan& loaded) {
  (void)model::memory_report(loaded.plan);
}
void timing_of(const files::LoadedPlan& loaded) {
  timing::AnalysisOptions options;
  options.watched_transactions = 20'000;
  (void)timing::analyse(loaded.plan, options);
}

const std::vector<Family> families{
    {"tags one word off, check",
     [](std::size_t n) {
       return Input{
           tagged_head + exchange(rows(n,
                                       "{{ name = \"t{0}\", slave = \"a\", fc = 3, at = {0}, "
                                       "count = 1, into = \"%MW{0}\", every = \"60s\" }},\n")),
           "point,area,address,type\n" + rows(n, "p{0},hr,{0},u16\n"),
           "tag,address,type,from\n" + rows(n, "g{0},%MW3{0:04},UINT,a.p{0}\n")};
     },
     1000, check_it},
    {"one value in many tags, check",
     [](std::size_t n) {
       return Input{
           tagged_head +
               exchange(
                   "{ name = \"t\", slave = \"a\", fc = 3, at = 0, count = 1, into = \"%MW0\", "
                   "every = \"1s\" },\n",
                   "copies = [\n" +
                       rows(n,
                            "{{ controller = \"plc\", from = \"%MW0\", to = \"%MW1{0:04}\", "
                            "count = 1 }},\n") +
                       "]\n"),
           "point,area,address,type\np,hr,0,u16\n",
           "tag,address,type,from\n" + rows(n, "g{0},%MW2{0:04},UINT,a.p\n")};
     },
     1000, check_it},
    {"unknown names against known ones",
     [](std::size_t n) {
       return Input{
           head + rows(n, "[slave.s{:06}]\nline = \"l\"\nunit = 9\n") +
           exchange(rows(n,
                         "{{ name = \"t{0}\", slave = \"x{0:06}\", fc = 3, at = 0, count = "
                         "1, into = \"%MW0\", every = \"10s\" }},\n"))};
     },
     1000, check_it, "objects of 1 to 1.5 kB for 40 bytes and more, and findings"},
    {"lines that stall, check",
     [](std::size_t n) {
       return Input{
           head +
           rows(n,
                "[line.l{0}]\nmaster = \"plc\"\nmode = \"rtu\"\nbaud = 19200\nformat = \"8E1\"\n"
                "[slave.s{0}]\nline = \"l{0}\"\nunit = 1\n[slave.q{0}]\nline = \"l{0}\"\nunit "
                "= 2\n") +
           exchange(rows(n,
                         "{{ name = \"a{0}\", slave = \"s{0}\", fc = 3, at = 0, count = 1, into = "
                         "\"%MW{0}\", every = \"500ms\" }},\n{{ name = \"b{0}\", slave = "
                         "\"q{0}\", fc = 3, at = 0, count = 1, into = \"%MW{0}\", every = "
                         "\"500ms\" }},\n"))};
     },
     500, check_it, "objects of 1 to 1.5 kB for 40 bytes and more, and findings"},
    {"patterns of many stars",
     [](std::size_t n) {
       std::string stars;
       for (std::size_t i = 0; i < n; ++i) stars += "*a";
       return Input{head + "[exchange]\nwants = [ { slave = \"a\", points = [\"" + stars +
                        "b\"], every = \"1s\", into = \"%MW\" } ]\n",
                    "point,area,address,type\n" +
                        rows(200, "aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa{0},hr,{0},u16\n")};
     },
     2000, [](const files::LoadedPlan&) {}},
    {"rows with many empty columns",
     [](std::size_t n) {
       const std::string commas(300, ',');
       std::string map = "point,area,address,type" + commas + "\n";
       for (std::size_t i = 0; i < n; ++i) map += fmt::format("p{0},hr,{0},u16{1}\n", i, commas);
       return Input{head, map};
     },
     500, check_it, "a million cells"},
    {"repeated columns",
     [](std::size_t n) {
       std::string map = "point,area,address,type";
       for (std::size_t i = 0; i < n; ++i) map += ",type";
       return Input{head, map + "\n"};
     },
     4000, [](const files::LoadedPlan&) {}},
    {"reads that overlap, memory",
     [](std::size_t n) {
       return Input{head + exchange(rows(n,
                                         "{{ name = \"t{0}\", slave = \"a\", fc = 3, at = 0, count "
                                         "= 100, into = \"%MW0\", every = \"10s\" }},\n"))};
     },
     500, memory_of},
    {"reads that overlap, check",
     [](std::size_t n) {
       return Input{head + exchange(rows(n,
                                         "{{ name = \"t{0}\", slave = \"a\", fc = 3, at = 0, count "
                                         "= 100, into = \"%MW0\", every = \"10s\" }},\n"))};
     },
     500, check_it},
    {"points between runs, memory",
     [](std::size_t n) {
       std::string map = "point,area,address,type\n";
       std::string list;
       for (std::size_t i = 0; i < n; ++i) {
         map += fmt::format("p{},hr,{},u16\n", i, 2 * i);
         list += fmt::format(
             "{{ name = \"t{0}\", slave = \"a\", fc = 3, at = {1}, count = 1, into = "
             "\"%MW{0}\", every = \"10s\" }},\n",
             i, 2 * i);
       }
       return Input{head + exchange(list), map};
     },
     2000, memory_of},
    {"bit areas inside words, memory",
     [](std::size_t n) {
       std::string list;
       for (std::size_t i = 0; i < n; ++i) {
         list += fmt::format(
             "{{ name = \"t{}\", slave = \"a\", fc = 1, at = 0, count = 16, into = "
             "\"%M{}\", every = \"10s\" }},\n",
             i, 16 * i);
       }
       return Input{head + exchange(list)};
     },
     800, memory_of},
    {"texts that overlap, pack",
     [](std::size_t n) {
       return Input{
           head +
               "[exchange]\nwants = [ { slave = \"a\", points = [\"*\"], every = \"1s\", into "
               "= \"%MW\" } ]\n",
           "point,area,address,type\n" + rows(n, "p{0},hr,{0},text(40)\n")};
     },
     4000, [](const files::LoadedPlan& loaded) { (void)packing::pack(loaded.plan); }},
    {"a chain of copies, one path",
     [](std::size_t n) {
       std::string copies = "copies = [\n";
       for (std::size_t i = 0; i < n; ++i) {
         copies += fmt::format(
             "{{ controller = \"plc\", from = \"%MW{}\", to = \"%MW{}\", count = 1 }},\n", i,
             i + 1);
       }
       return Input{
           head +
           exchange("{ name = \"t\", slave = \"a\", fc = 3, at = 0, count = 1, into = \"%MW0\", "
                    "every = \"10s\" },\n",
                    copies + "]\n[supervision]\n") +
           fmt::format("paths = [ {{ name = \"w\", from = \"a.p\", to = \"plc.%MW{}\", budget = "
                       "\"10s\" }} ]\n",
                       n)};
     },
     2000, timing_of},
    {"reads and writes of points, exports", points_read_and_written, 2000,
     [](const files::LoadedPlan& loaded) {
       with_exports(loaded, [](const exports::ExportInput& input) {
         for (const exports::Export& each : exports::all_exports()) (void)each.make(input);
       });
     },
     "65,536 rows, written out six times"},
    {"slaves of one map, check", slaves_of_one_map, 800, check_it},
    {"slaves of one map, points", slaves_of_one_map, 800,
     [](const files::LoadedPlan& loaded) { (void)model::point_list(loaded.plan); }},
    {"equal names, import",
     [](std::size_t n) {
       return Input{head, "point,area,address,type\n" + rows(n, "value,hr,{0},u16\n")};
     },
     8000,
     [](const files::LoadedPlan& loaded) {
       (void)files::import_map("m.csv", loaded.sources.back().text);
     }},
    {"reads and writes of points, pages", points_read_and_written, 2000,
     [](const files::LoadedPlan& loaded) {
       with_exports(loaded, [](const exports::ExportInput& input) {
         (void)exports::report_page({input, "plan.toml", {}, {}, {}});
         (void)exports::commissioning_page({input, "plan.toml", {}, {}, {}});
       });
     },
     "65,536 rows, in eleven tables"},
    {"every transaction renamed, diff", points_read_and_written, 2000,
     [](const files::LoadedPlan& loaded) {
       const std::string old = files::exchange_json(loaded.plan);
       std::string now = old;
       for (std::size_t at = now.find("\"name\": \"in"); at != std::string::npos;
            at = now.find("\"name\": \"in", at)) {
         now.replace(at, 11, "\"name\": \"to");
       }
       (void)exports::exchange_changes(old, now);
     },
     "65,536 rows of two documents"},
    {"good rows, check",
     [](std::size_t n) {
       return Input{head +
                    exchange(rows(n,
                                  "  {{ name = \"t{0}\", slave = \"a\", fc = 3, at = 0, count "
                                  "= 1, into = \"%MW{0}\", every = \"60s\", on_loss = "
                                  "\"hold\" }},\n"))};
     },
     10'000, check_it},
    {"rows of nothing, check",
     [](std::size_t n) { return Input{head + exchange(rows(n, "{{}},"))}; }, 500'000, check_it},
    {"a ring of controllers, tune",
     [](std::size_t n) { return Input{bench::ring_of_controllers(n, "20ms")}; }, 40,
     [](const files::LoadedPlan& loaded) { (void)packing::tune(loaded.plan, {}); }},
};

double seconds_of(const Family& family, const Input& input) {
  double best = 1e9;
  for (int repeat = 0; repeat < 3; ++repeat) {
    const auto begin = std::chrono::steady_clock::now();
    const auto loaded = files::load_plan(
        "plan.toml",
        files::memory_files(
            {{"plan.toml", input.plan}, {"m.csv", input.map}, {"tags.csv", input.tags}}));
    family.run(loaded);
    const std::chrono::duration<double> taken = std::chrono::steady_clock::now() - begin;
    best = std::min(best, taken.count());
  }
  return best;
}

// One run of a family, in a process of its own.
int run_alone(const std::string& name, std::size_t size) {
  for (const Family& family : families) {
    if (name != family.name) continue;
    const Input input = family.input(size);
    family.run(files::load_plan(
        "plan.toml", {[&input](const std::string& path, std::size_t) -> files::FileContent {
                        return path == "plan.toml"  ? input.plan
                               : path == "tags.csv" ? input.tags
                                                    : input.map;
                      },
                      [](const std::string&) { return std::vector<std::string>{}; }}));
  }
  return 0;
}

// Bytes of memory at its peak, over the input, which only we hold twice.
double memory_taken(const std::string& family, std::size_t size, double bytes) {
  const pid_t child = ::fork();
  if (child == 0) {
    ::execl("/proc/self/exe", "bench_growth", family.c_str(), std::to_string(size).c_str(),
            nullptr);
    ::_exit(1);
  }
  rusage usage{};
  int status = 0;
  if (child < 0 || ::wait4(child, &status, 0, &usage) != child || status != 0) return 1e18;
  return std::max(0.0, static_cast<double>(usage.ru_maxrss) * 1024 - bytes);
}

}  // namespace

int main(int argc, char** argv) {
  if (argc == 3) return run_alone(argv[1], std::stoul(argv[2]));
  bool red = false;
  const double nothing = memory_taken("no family", 1, 0) + allowance;
  fmt::print("{:<36} {:>24} {:>30}  slope  memory\n", "family", "bytes", "seconds");
  for (const Family& family : families) {
    std::vector<double> bytes;
    std::vector<double> seconds;
    double memory = 0;
    for (const std::size_t factor : {1U, 2U, 4U}) {
      const Input input = family.input(factor * family.smallest);
      bytes.push_back(
          static_cast<double>(input.plan.size() + input.map.size() + input.tags.size()));
      const double taken = memory_taken(family.name, factor * family.smallest, bytes.back());
      memory = std::max(0.0, taken - nothing) / bytes.back();
      seconds.push_back(seconds_of(family, input));
    }
    const double slope = std::log(seconds[2] / seconds[0]) / std::log(bytes[2] / bytes[0]);
    // what is over in some milliseconds is noise
    const bool steep = slope > steepest && seconds[2] > 0.02;
    const bool large = memory > most_memory && family.cap == nullptr;
    red = red || steep || large;
    fmt::print(
        "{:<36} {:>7.0f} {:>8.0f} {:>8.0f} {:>9.4f} {:>9.4f} {:>9.4f}  {:.2f} {:>6.1f}{}{}\n",
        family.name, bytes[0], bytes[1], bytes[2], seconds[0], seconds[1], seconds[2], slope,
        memory, steep ? "  <- steeper than 1.3" : "",
        large                   ? "  <- more than 40 times the input"
        : family.cap != nullptr ? fmt::format("  at most {}", family.cap)
                                : std::string());
  }
  return red ? 1 : 0;
}
