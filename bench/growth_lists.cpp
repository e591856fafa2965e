// How the program grows with every list of a plan: each list at three sizes, each command on it, as
// processes of the built program. Prints the slope of CPU time over size where the largest takes
// long enough to measure; above 1.3 it is red, and the status is 1. So it is where a process takes
// more memory than the program promises.
//
//   bench_growth_lists [LIST [COMMAND]]   only lists and commands whose names hold these
#include <fcntl.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <string>
#include <vector>

#include <fmt/format.h>

namespace fs = std::filesystem;

namespace {

constexpr double steepest = 1.3;
constexpr double worth_a_look = 0.15;  // seconds
constexpr double most_memory = 640e6;  // bytes
constexpr rlim_t longest = 60;         // seconds of CPU time; then it is stopped

// What stands in the folder.
struct Site {
  std::string plan;
  std::string map = "point,area,address,type\np,hr,0,u16\n";
  std::string tags = "tag,address,type,from\n";
};

// `count` rows, each made of its number.
std::string rows(std::size_t count, std::string_view row) {
  std::string text;
  for (std::size_t i = 0; i < count; ++i) text += fmt::format(fmt::runtime(row), i);
  return text;
}

const std::string plc = R"([controller.plc]
scan = "10ms"
address = "10.0.0.1/8"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 65000 }
"%M" = { kind = "bit", first = 0, count = 65000 }
)";
const std::string line = R"([line.l]
master = "plc"
mode = "rtu"
baud = 115200
format = "8E1"
[slave.a]
line = "l"
unit = 1
map = "m.csv"
)";
const std::string host = "[slave.a]\nhost = \"10.0.0.2\"\nmap = \"m.csv\"\n";

// A period in which `count` requests keep one line half busy, whatever the count.
std::string period(std::size_t count) {
  return fmt::format("\"{}ms\"", 60 * count);
}

// `count` rows of transactions on one line: PERIOD in them stands for period(count).
std::string line_rows(std::size_t count, std::string row) {
  const std::size_t at = row.find("PERIOD");
  row.replace(at, 6, period(count));
  return rows(count, row);
}

std::string exchange(const std::string& transactions, const std::string& behind = {}) {
  return "[exchange]\n" + behind + "transactions = [\n" + transactions + "]\n";
}
const std::string one_read =
    "{ name = \"t\", slave = \"a\", fc = 3, at = 0, count = 1, into = \"%MW0\", every = \"1s\" "
    "},\n";

// `count` slaves with hosts of their own, each with what follows.
std::string slaves(std::size_t count, const std::string& each = {}) {
  std::string text;
  for (std::size_t i = 0; i < count; ++i) {
    text +=
        fmt::format("[slave.s{0}]\nhost = \"10.1.{1}.{2}\"\n{3}", i, i / 250, i % 250 + 2, each);
  }
  return text;
}
std::string map_of(std::size_t points) {
  return "point,area,address,type\n" + rows(points, "p{0},hr,{0},u16\n");
}

struct List {
  const char* name;
  std::size_t smallest;
  Site (*site)(std::size_t);
};

const std::vector<List> lists{
    {"transactions on one line", 2000,
     [](std::size_t n) {
       return Site{plc + line +
                       exchange(line_rows(n,
                                          "{{ name = \"t{0}\", slave = \"a\", fc = 3, at = {0}, "
                                          "count = 1, into = \"%MW{0}\", every = PERIOD }},\n")),
                   map_of(n)};
     }},
    {"connections of one controller", 250,
     [](std::size_t n) {
       return Site{plc + slaves(n) +
                   exchange(rows(n,
                                 "{{ name = \"t{0}\", slave = \"s{0}\", fc = 3, at = 0, count = 1, "
                                 "into = \"%MW{0}\", every = \"1s\" }},\n"))};
     }},
    {"connections with few places", 250,
     [](std::size_t n) {
       std::string text = plc;
       text.insert(text.find("scan"), "in_flight = 4\n");
       return Site{text + slaves(n) +
                   exchange(rows(n,
                                 "{{ name = \"t{0}\", slave = \"s{0}\", fc = 3, at = 0, count = 1, "
                                 "into = \"%MW{0}\", every = \"60s\" }},\n"))};
     }},
    {"writes set off by bits", 250,
     [](std::size_t n) {
       return Site{plc + slaves(n) +
                   exchange(rows(n,
                                 "{{ name = \"t{0}\", slave = \"s{0}\", fc = 6, at = 0, from = "
                                 "\"%MW{0}\", on = \"%M{0}\", min_gap = \"5s\" }},\n{{ name = "
                                 "\"r{0}\", slave = \"s{0}\", fc = 1, at = 0, count = 1, into = "
                                 "\"%M{0}\", every = \"5s\" }},\n"))};
     }},
    {"writes set off by changes", 250,
     [](std::size_t n) {
       return Site{plc + slaves(n) +
                   exchange(rows(n,
                                 "{{ name = \"t{0}\", slave = \"s{0}\", fc = 6, at = 9, from = "
                                 "\"%MW{0}\", on = \"change\", min_gap = \"5s\" }},\n{{ name = "
                                 "\"r{0}\", slave = \"s{0}\", fc = 3, at = 0, count = 1, into = "
                                 "\"%MW{0}\", every = \"5s\" }},\n"))};
     }},
    {"reads with gates and status", 2000,
     [](std::size_t n) {
       return Site{plc + line +
                       exchange(line_rows(
                           n,
                           "{{ name = \"t{0}\", slave = \"a\", fc = 16, at = {0}, count = 1, "
                           "from = \"%MW{0}\", every = PERIOD, only_if = \"%M{0}\", status = "
                           "{{ busy = \"%M2{0:04}\", done = \"%M3{0:04}\", exception = "
                           "\"%MW3{0:04}\" }} }},\n")),
                   map_of(n)};
     }},
    {"function 23", 2000,
     [](std::size_t n) {
       return Site{
           plc + line +
           exchange(line_rows(n,
                              "{{ name = \"t{0}\", slave = \"a\", fc = 23, read = {{ at = {0}, "
                              "count = 1, into = \"%MW{0}\" }}, write = {{ at = 3{0:04}, count = "
                              "1, from = \"%MW3{0:04}\" }}, every = PERIOD }},\n"))};
     }},
    {"controllers", 200,
     [](std::size_t n) {
       std::string text;
       std::string list;
       for (std::size_t i = 0; i < n; ++i) {
         text += fmt::format(
             "[controller.c{0}]\nscan = \"10ms\"\naddress = \"10.0.{1}.{2}/16\"\nanswers = [ {{ "
             "port "
             "= 502 }} ]\n[controller.c{0}.memory]\n\"%MW\" = {{ kind = \"word\", first = 0, count "
             "= 1000, serves = \"hr:0\" }}\n",
             i, i / 200, 1 + i % 200);
         list += fmt::format(
             "{{ name = \"t{0}\", controller = \"c{0}\", slave = \"c{1}\", fc = 16, at = \"%MW0\", "
             "count = 9, from = \"%MW100\", every = \"1s\" }},\n",
             i, (i + 1) % n);
       }
       return Site{text + exchange(list)};
     }},
    {"memory areas", 2000,
     [](std::size_t n) {
       return Site{
           plc + rows(n, "\"%A{0}_\" = {{ kind = \"word\", first = 0, count = 4 }}\n") + line +
           exchange(line_rows(n,
                              "{{ name = \"t{0}\", slave = \"a\", fc = 3, at = {0}, count = 1, "
                              "into = \"%A{0}_0\", every = PERIOD }},\n"))};
     }},
    {"lines", 250,
     [](std::size_t n) {
       return Site{plc +
                   rows(n,
                        "[line.l{0}]\nmaster = \"plc\"\nmode = \"rtu\"\nbaud = 19200\nformat = "
                        "\"8E1\"\n[slave.s{0}]\nline = \"l{0}\"\nunit = 1\n") +
                   exchange(rows(n,
                                 "{{ name = \"t{0}\", slave = \"s{0}\", fc = 3, at = 0, count = 1, "
                                 "into = \"%MW{0}\", every = \"1s\" }},\n"))};
     }},
    {"gateways", 250,
     [](std::size_t n) {
       std::string text = plc;
       for (std::size_t i = 0; i < n; ++i) {
         text += fmt::format(
             "[gateway.g{0}]\nhost = \"10.2.{1}.{2}\"\n[line.l{0}]\nvia = \"g{0}\"\nmode = "
             "\"rtu\"\nbaud = 19200\nformat = \"8E1\"\n[slave.s{0}]\nline = \"l{0}\"\nunit = 1\n",
             i, i / 250, i % 250 + 2);
       }
       return Site{text +
                   exchange(rows(n,
                                 "{{ name = \"t{0}\", slave = \"s{0}\", fc = 3, at = 0, count "
                                 "= 1, into = \"%MW{0}\", every = \"1s\" }},\n"))};
     }},
    {"slaves that nobody asks", 2000,
     [](std::size_t n) { return Site{plc + host + slaves(n) + exchange(one_read)}; }},
    {"slaves with watchdogs", 250,
     [](std::size_t n) {
       return Site{plc + slaves(n, "watchdog = \"9s\"\n") +
                   exchange(rows(n,
                                 "{{ name = \"t{0}\", slave = \"s{0}\", fc = 3, at = 0, count = 1, "
                                 "into = \"%MW{0}\", every = \"2s\" }},\n"))};
     }},
    {"copies in a chain", 1000,
     [](std::size_t n) {
       std::string copies = "copies = [\n";
       for (std::size_t i = 0; i < n; ++i) {
         copies += fmt::format(
             "{{ controller = \"plc\", from = \"%MW{}\", to = \"%MW{}\", count = 1 }},\n", i,
             i + 1);
       }
       return Site{plc + host + exchange(one_read, copies + "]\n")};
     }},
    {"copies of one value", 2000,
     [](std::size_t n) {
       return Site{plc + host +
                   exchange(one_read, "copies = [\n" +
                                          rows(n,
                                               "{{ controller = \"plc\", from = \"%MW0\", to = "
                                               "\"%MW1{0:04}\", count = 1 }},\n") +
                                          "]\n")};
     }},
    {"wanted points", 1500,
     [](std::size_t n) {
       return Site{plc + line + "[exchange]\nwants = [\n" +
                       rows(n,
                            "{{ slave = \"a\", points = [\"p{0}\"], every = \"10s\", into = "
                            "\"%MW\" }},\n") +
                       "]\n",
                   map_of(n)};
     }},
    {"points of one want", 4000,
     [](std::size_t n) {
       return Site{plc + line +
                       "[exchange]\nwants = [ { slave = \"a\", every = \"10s\", into = \"%MW\", "
                       "points = [\n" +
                       rows(n, "\"p{0}\",\n") + "] } ]\n",
                   map_of(n)};
     }},
    {"heartbeats and paths", 250,
     [](std::size_t n) {
       std::string text = plc;
       text.replace(text.find("{ kind = \"bit\","), 16, "{ kind = \"bit\", inside = \"%MW\",");
       text +=
           "[controller.peer]\nscan = \"10ms\"\naddress = \"10.0.0.9/8\"\nanswers = [ { port = 502 "
           "} "
           "]\n[controller.peer.memory]\n\"%MW\" = { kind = \"word\", first = 0, count = 65000, "
           "serves = \"hr:0\" }\n\"%MX\" = { kind = \"bit\", inside = \"%MW\", first = 0, count = "
           "65000 }\n";
       text +=
           exchange(rows(n,
                         "{{ name = \"t{0}\", controller = \"plc\", slave = \"peer\", fc = 16, "
                         "at = \"%MW{0}\", count = 1, from = \"%MW{0}\", every = \"5s\" }},\n"));
       text += "[supervision]\nheartbeats = [\n";
       for (std::size_t i = 0; i < n; ++i) {
         text += fmt::format(
             "{{ name = \"h{0}\", from = \"plc\", bit = \"%M{1}\", toggle = \"60s\", to = "
             "\"peer\", watch = \"200s\", react = \"10min\", seen = \"%MX{1}\" }},\n",
             i, 16 * i);
       }
       text += "]\npaths = [\n" +
               rows(n,
                    "{{ name = \"w{0}\", from = \"plc.%MW{0}\", to = \"peer.%MW{0}\", budget = "
                    "\"60s\" }},\n") +
               "]\n";
       return Site{text};
     }},
    {"accepts", 2000,
     [](std::size_t n) {
       return Site{
           plc + line +
           exchange(line_rows(n,
                              "{{ name = \"t{0}\", slave = \"a\", fc = 3, at = {0}, count = 1, "
                              "into = \"%MW{0}\", every = PERIOD }},\n")) +
           "[review]\naccepts = [\n" +
           rows(n, "{{ rule = \"C01\", at = \"transaction t{0}\", why = \"agreed\" }},\n") + "]\n"};
     }},
    {"points of a map", 8000,
     [](std::size_t n) {
       return Site{
           plc + host +
               exchange("{ name = \"t\", slave = \"a\", fc = 3, at = 0, count = 125, into = "
                        "\"%MW0\", every = \"1s\" },\n"),
           map_of(n)};
     }},
    {"tags", 1500,
     [](std::size_t n) {
       std::string text = plc + line;
       text.insert(text.find("scan"), "tags = \"t.csv\"\n");
       return Site{
           text + exchange(line_rows(n,
                                     "{{ name = \"t{0}\", slave = \"a\", fc = 3, at = {0}, count "
                                     "= 1, into = \"%MW{0}\", every = PERIOD }},\n")),
           map_of(n), "tag,address,type,from\n" + rows(n, "g{0},%MW{0},UINT,a.p{0}\n")};
     }},
};

// Where a stated bound is met only beyond the sizes here.
struct Bounded {
  const char* list;
  const char* command;
  const char* by;
};
const std::vector<Bounded> bounded{
    {"connections with few places", "timing",
     "4,000,000 requests simulated, then slaves are left out"},
};

struct Command {
  const char* name;
  std::vector<std::string> words;
};

const std::vector<Command> commands{
    {"check", {"check", "p.toml"}},
    {"check --fix", {"check", "fix.toml", "--fix"}},
    {"timing", {"timing", "p.toml"}},
    {"pack", {"pack", "p.toml"}},
    {"tune", {"tune", "p.toml"}},
    {"memory", {"memory", "p.toml"}},
    {"points", {"points", "p.toml", "--json"}},
    {"rehearse", {"rehearse", "p.toml", "--fast", "-o", "rehearsed", "--force"}},
    {"export", {"export", "p.toml", "-o", "exported", "--force"}},
    {"report", {"report", "p.toml", "-o", "reported", "--force"}},
    {"diff", {"diff", "p.toml", "other.toml"}},
    {"new --from", {"new", "--from", "m.csv", "--slave", "fresh=10.9.9.9", "--plan", "new.toml"}},
};

struct Taken {
  double seconds = 0;
  double bytes = 0;
  int status = 0;
};

// CPU time and peak memory of the program with these words.
Taken run(const fs::path& folder, const std::vector<std::string>& words) {
  const pid_t child = ::fork();
  if (child == 0) {
    const rlimit limit{longest, longest};
    ::setrlimit(RLIMIT_CPU, &limit);
    const int nowhere = ::open("/dev/null", O_RDWR);
    for (const int fd : {0, 1, 2}) ::dup2(nowhere, fd);
    std::vector<std::string> own{GREYMET_PROGRAM};
    own.insert(own.end(), words.begin(), words.end());
    std::vector<char*> argv;
    for (std::string& word : own) argv.push_back(word.data());
    argv.push_back(nullptr);
    if (::chdir(folder.c_str()) == 0) ::execv(GREYMET_PROGRAM, argv.data());
    ::_exit(127);
  }
  rusage usage{};
  int status = 0;
  ::wait4(child, &status, 0, &usage);
  const auto seconds = [](const timeval& t) {
    return static_cast<double>(t.tv_sec) + static_cast<double>(t.tv_usec) / 1e6;
  };
  return {seconds(usage.ru_utime) + seconds(usage.ru_stime),
          static_cast<double>(usage.ru_maxrss) * 1024,
          WIFEXITED(status) ? WEXITSTATUS(status) : -1};
}

void write(const fs::path& path, const std::string& text) {
  std::ofstream(path, std::ios::binary) << text;
}

fs::path laid_out(const fs::path& root, const Site& site, std::size_t factor) {
  fs::path folder = root / std::to_string(factor);
  fs::create_directories(folder);
  write(folder / "p.toml", site.plan);
  std::string other = site.plan;
  for (std::size_t at = other.find("\"t"); at != std::string::npos;
       at = other.find("\"t", at + 1)) {
    if (other.compare(at, 8, "\"t.csv\"\n") != 0) other[at + 1] = 'u';
  }
  write(folder / "other.toml", other);
  write(folder / "m.csv", site.map);
  write(folder / "t.csv", site.tags);
  return folder;
}

}  // namespace

int main(int argc, char** argv) {
  const std::string only_list = argc > 1 ? argv[1] : "";
  const std::string only_command = argc > 2 ? argv[2] : "";
  const fs::path root = fs::temp_directory_path() / fmt::format("growth-{}", ::getpid());
  bool red = false;
  fmt::print("{:<32} {:<12} {:>6} {:>29}  slope     MB status\n", "list", "command", "n",
             "CPU seconds");
  for (const List& list : lists) {
    if (std::string(list.name).find(only_list) == std::string::npos) continue;
    std::vector<fs::path> folders;
    for (const std::size_t factor : {1U, 2U, 4U}) {
      folders.push_back(laid_out(root, list.site(factor * list.smallest), factor));
    }
    for (const Command& command : commands) {
      if (std::string(command.name).find(only_command) == std::string::npos) continue;
      double start = longest;
      for (int tries = 0; tries < 3; ++tries) {
        start = std::min(start, run(root, {"explain", "P01"}).seconds);
      }
      const auto cap = std::find_if(bounded.begin(), bounded.end(), [&](const Bounded& each) {
        return each.list == std::string(list.name) && each.command == std::string(command.name);
      });
      std::vector<Taken> taken(folders.size());
      double slope = 0;
      bool steep = true;
      // what is busy beside this takes time away: the quickest of some runs counts
      for (int tries = 0; tries < 3 && steep; ++tries) {
        for (std::size_t i = 0; i < folders.size(); ++i) {
          for (const char* changed : {"fix.toml", "new.toml"}) {
            fs::copy_file(folders[i] / "p.toml", folders[i] / changed,
                          fs::copy_options::overwrite_existing);
          }
          fs::remove_all(folders[i] / "maps");
          const Taken now = run(folders[i], command.words);
          if (tries == 0 || now.seconds < taken[i].seconds) taken[i] = now;
        }
        const auto net = [start](const Taken& each) {
          return std::max(1e-3, each.seconds - start);
        };
        slope = std::log(net(taken[2]) / net(taken[0])) / std::log(4.0);
        steep = slope > steepest && taken[2].seconds > worth_a_look && cap == bounded.end();
      }
      const bool large = taken[2].bytes > most_memory;
      const bool died = taken[2].status < 0 || taken[2].status > 3;
      red = red || steep || large || died;
      fmt::print("{:<32} {:<12} {:>6} {:>9.3f} {:>9.3f} {:>9.3f}  {:>5} {:>6.0f} {:>6}{}{}\n",
                 list.name, command.name, 4 * list.smallest, taken[0].seconds, taken[1].seconds,
                 taken[2].seconds,
                 taken[2].seconds > worth_a_look ? fmt::format("{:.2f}", slope) : std::string("-"),
                 taken[2].bytes / 1e6, died ? "died" : std::to_string(taken[2].status),
                 steep ? "  <- steeper than 1.3" : "",
                 large                  ? "  <- more than 640 MB"
                 : cap != bounded.end() ? fmt::format("  at most {}", cap->by)
                                        : std::string());
      std::fflush(stdout);
    }
    fs::remove_all(root);
  }
  return red ? 1 : 0;
}
