// A sample of small slips in three plans, with what becomes of each: what it does to the site that
// the right plan describes, what `check` says, and what cures make of it. All of them are counted
// by bench/plan_mutants.
#include <fstream>
#include <sstream>

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "checks/check.h"
#include "judge.h"

using namespace greymet;

namespace {

using mutants::Cured;

#ifndef GREYMET_SANITIZED
std::string text_of(const std::string& path) {
  std::ostringstream text;
  text << std::ifstream(path).rdbuf();
  return text.str();
}
#endif

// The files of a plan by paths relative to the sources, so that texts are the same everywhere.
mutants::Judge judge_of(const std::string& plan) {
  const std::string root = std::string(GREYMET_SOURCE) + "/";
  mutants::Files files;
  for (const auto& source : files::load_plan(root + plan, files::disk_files()).sources) {
    files[source.name.substr(root.size())] = source.text;
  }
  return {std::move(files), plan};
}

std::string word_of(Cured cured) {
  switch (cured) {
    case Cured::untouched: return "untouched";
    case Cured::restored: return "restored";
    case Cured::loud: return "loud";
    case Cured::quiet: return "quiet and wrong";
  }
  return {};
}

std::string outcome_of(const mutants::Slip& slip, const mutants::Verdict& v) {
  std::string text = fmt::format("{}:{} {}: {}\n  ", slip.file, slip.line, slip.row, slip.what);
  if (v.harms.empty()) {
    text += v.is_description ? "tells what is not so" : "harmless";
  } else {
    text += fmt::format("{}: {}", to_string(v.harms.front().kind), v.harms.front().what);
    if (!v.unknowable.empty()) text += fmt::format(" ({})", v.unknowable);
  }
  text += v.alarmed
              ? fmt::format("\n  {}{}", v.said.substr(0, 120), v.at_the_slip ? "" : " [elsewhere]")
              : std::string("\n  nothing is said");
  if (v.certain != Cured::untouched) text += "\n  --fix: " + word_of(v.certain);
  if (v.offers != Cured::untouched) text += "\n  --fix=offers: " + word_of(v.offers);
  return text + "\n";
}

}  // namespace

TEST_CASE("of small slips what could be known is caught, and no cure makes a wrong plan quiet") {
#ifdef GREYMET_SANITIZED
  constexpr std::size_t times = 8;  // as slow
#else
  constexpr std::size_t times = 1;
#endif
  struct Sample {
    const char* plan;
    std::size_t every;
  };
  std::string all;
  std::size_t knowable = 0;
  std::size_t caught = 0;
  std::size_t in_few = 0;  // of those caught, said in one finding or two
  std::size_t harmless = 0;
  std::size_t alarmed = 0;
  for (const Sample& sample : {Sample{"tests/mutants/plans/cold/cold.toml", 7},
                               Sample{"tests/mutants/plans/ferry/ferry.toml", 47},
                               Sample{"examples/maltings.toml", 131}}) {
    const mutants::Judge judge = judge_of(sample.plan);
    for (const auto& f : checks::check(judge.right().plan, judge.right().findings)) {
      INFO(sample.plan << ": " << f.message);
      REQUIRE(f.severity == model::Severity::note);
    }
    const auto slips = judge.slips();
    for (std::size_t i = 3; i < slips.size(); i += sample.every * times) {
      const mutants::Verdict v = judge.judge(slips[i], true);
      all += outcome_of(slips[i], v);
      INFO(all.substr(all.size() - std::min<std::size_t>(all.size(), 500)));
      CHECK(v.certain != Cured::quiet);
      CHECK(v.offers != Cured::quiet);
      if (!v.harms.empty() && v.unknowable.empty()) {
        ++knowable;
        caught += v.alarmed ? 1 : 0;
        in_few += v.alarmed && v.findings <= 2 ? 1 : 0;
      }
      if (v.harms.empty() && !v.is_description) {
        ++harmless;
        alarmed += v.alarmed ? 1 : 0;
      }
    }
  }
  INFO(caught << " of " << knowable << ", in few " << in_few << ", " << alarmed << " of "
              << harmless);
  CHECK(caught * 100 >= knowable * 98);
  CHECK(in_few * 100 >= caught * 85);
  CHECK(alarmed * 10 <= harmless + 10);
#ifndef GREYMET_SANITIZED
  const std::string golden = std::string(GREYMET_SOURCE) + "/tests/golden/plan-mutants.txt";
  if (std::getenv("GREYMET_WRITE_GOLDEN") != nullptr) std::ofstream(golden) << all;
  CHECK(all == text_of(golden));
#endif
}
