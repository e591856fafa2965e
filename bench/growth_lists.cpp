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

#include "growth_plans.h"

namespace fs = std::filesystem;
using namespace greymet;
using bench::List;
using bench::Site;

namespace {

constexpr double steepest = 1.3;
constexpr double worth_a_look = 0.15;  // seconds
constexpr double most_memory = 640e6;  // bytes
constexpr rlim_t longest = 60;         // seconds of CPU time; then it is stopped

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
  const char* needs = "";  // a further file of the site; without it all but those sites
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
    {"trend", {"trend", "log.csv", "--plan", "p.toml", "a.p"}, "log.csv"},
    {"rehearse", {"rehearse", "p.toml", "--fast", "--faults", "faults.csv"}, "faults.csv"},
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
  for (const auto& [name, text] : site.others) write(folder / name, text);
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
  for (const List& list : bench::growing_lists()) {
    if (std::string(list.name).find(only_list) == std::string::npos) continue;
    std::vector<fs::path> folders;
    Site site;
    for (const std::size_t factor : {1U, 2U, 4U}) {
      site = list.site(factor * list.smallest);
      folders.push_back(laid_out(root, site, factor));
    }
    for (const Command& command : commands) {
      if (std::string(command.name).find(only_command) == std::string::npos) continue;
      const bool fits =
          site.others.empty() ? command.needs[0] == '\0' : site.others.contains(command.needs);
      if (!fits) continue;
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
