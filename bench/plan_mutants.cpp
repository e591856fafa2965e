// What `check` catches of small slips, and what cures make of them, counted: every slip of the
// plans given, judged by the site that the right plan describes (tests/mutants). See
// docs/benchmarks.md.
//
//   bench_plan_mutants [--every N] [--no-cures] [--list missed|alarms|quiet|many] PLAN...
#include <atomic>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <map>
#include <mutex>
#include <sstream>
#include <thread>

#include <fmt/format.h>

#include "checks/check.h"
#include "judge.h"

namespace {

namespace fs = std::filesystem;
using namespace greymet::mutants;

Files files_of(const std::string& plan) {
  Files files;
  const fs::path folder = fs::path(plan).parent_path();
  const auto loaded = greymet::files::load_plan(plan, greymet::files::disk_files());
  for (const auto& source : loaded.sources) files[source.name] = source.text;
  return files;
}

struct Tally {
  std::size_t slips = 0, harmful = 0, unknowable = 0, caught = 0, elsewhere = 0, missed = 0,
              harmless = 0, false_alarms = 0, descriptions = 0, told = 0, findings = 0;
  std::array<std::size_t, 4> certain{};
  std::array<std::size_t, 4> offers{};
  void add(const Verdict& v) {
    ++slips;
    if (v.harms.empty()) {
      if (v.is_description) {
        ++descriptions;
        told += v.alarmed ? 1 : 0;
      } else {
        ++harmless;
        false_alarms += v.alarmed ? 1 : 0;
      }
      return;
    }
    ++harmful;
    if (v.alarmed) {
      ++certain[static_cast<std::size_t>(v.certain)];
      ++offers[static_cast<std::size_t>(v.offers)];
    }
    if (!v.unknowable.empty()) {
      ++unknowable;
    } else if (!v.alarmed) {
      ++missed;
    } else {
      ++(v.at_the_slip ? caught : elsewhere);
      findings += v.findings;
    }
  }
};

std::string row(const std::string& name, const Tally& t) {
  const std::size_t knowable = t.harmful - t.unknowable;
  const auto share = [](std::size_t part, std::size_t whole) {
    return whole == 0 ? std::string("-")
                      : fmt::format("{:.1f} %",
                                    100.0 * static_cast<double>(part) / static_cast<double>(whole));
  };
  return fmt::format(
      "| {} | {} | {} | {} | {} | {} | {} | {} ({}) | {:.1f} | {} of {} | {} of {} | {} / {} / {} "
      "| {} / {} "
      "/ {} |\n",
      name, t.slips, t.harmful, t.unknowable, t.caught, t.elsewhere, t.missed,
      share(t.caught + t.elsewhere, knowable), knowable,
      static_cast<double>(t.findings) /
          static_cast<double>(std::max<std::size_t>(1, t.caught + t.elsewhere)),
      t.false_alarms, t.harmless, t.told, t.descriptions, t.certain[1], t.certain[2], t.certain[3],
      t.offers[1], t.offers[2], t.offers[3]);
}

}  // namespace

int main(int argc, char** argv) {
  std::size_t every = 1;
  std::string list;
  bool cures = true;
  std::vector<std::string> plans;
  for (int i = 1; i < argc; ++i) {
    const std::string word = argv[i];
    if (word == "--every" && i + 1 < argc) {
      every = std::stoul(argv[++i]);
    } else if (word == "--list" && i + 1 < argc) {
      list = argv[++i];
    } else if (word == "--no-cures") {
      cures = false;
    } else {
      plans.push_back(word);
    }
  }
  std::cout << "| class | slips | harmful | nobody could know | caught at the slip | elsewhere | "
               "missed | caught of the knowable | findings each | harmless and alarmed | told "
               "otherwise, said | "
               "--fix: restored / loud / quiet | offers: restored / loud / quiet |\n"
               "|---|---|---|---|---|---|---|---|---|---|---|---|---|\n";
  for (const std::string& plan : plans) {
    const Judge judge(files_of(plan), plan);
    for (const auto& f : greymet::checks::check(judge.right().plan, judge.right().findings)) {
      if (f.severity != greymet::model::Severity::note) {
        std::cerr << plan << " is not clean: " << to_string(f.rule) << " " << f.message << "\n";
        return 1;
      }
    }
    const auto slips = judge.slips();
    std::vector<Verdict> verdicts(slips.size());
    std::atomic<std::size_t> next{0};
    std::vector<std::thread> threads;
    for (unsigned n = 0; n < std::max(1U, std::thread::hardware_concurrency()); ++n) {
      threads.emplace_back([&] {
        for (std::size_t i = next++ * every; i < slips.size(); i = next++ * every) {
          verdicts[i] = judge.judge(slips[i], cures);
        }
      });
    }
    for (auto& thread : threads) thread.join();
    std::map<SlipClass, Tally> by_class;
    Tally all;
    std::map<std::string, std::size_t> reasons;
    for (std::size_t i = 0; i < slips.size(); i += every) {
      by_class[slips[i].kind].add(verdicts[i]);
      all.add(verdicts[i]);
      const Verdict& v = verdicts[i];
      if (!v.harms.empty() && !v.unknowable.empty()) ++reasons[v.unknowable];
      const bool missed = !v.harms.empty() && v.unknowable.empty() && !v.alarmed;
      const bool alarm = v.harms.empty() && !v.is_description && v.alarmed;
      const bool quiet = v.certain == Cured::quiet || v.offers == Cured::quiet;
      if ((list == "missed" && missed) || (list == "alarms" && alarm) ||
          (list == "quiet" && quiet) || (list == "many" && v.findings > 1 && !v.harms.empty())) {
        std::cerr << fmt::format(
            "{}:{} {} | {} | {} {} | {}\n", slips[i].file, slips[i].line, slips[i].row,
            slips[i].what, v.harms.empty() ? "" : to_string(v.harms.front().kind),
            v.harms.empty() ? "" : v.harms.front().what, list == "many" ? v.rules : v.said);
      }
    }
    std::cout << fmt::format("| **{}** | | | | | | | | | | | | |\n",
                             fs::path(plan).filename().string());
    for (const auto& [kind, tally] : by_class)
      std::cout << row(std::string(to_string(kind)), tally);
    std::cout << row("all", all);
    for (const auto& [reason, count] : reasons) std::cerr << count << " " << reason << "\n";
  }
  return 0;
}
