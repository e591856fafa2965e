#include <algorithm>
#include <array>

#include "cli/describe.h"

namespace greymet::cli {
namespace {

constexpr std::array known_examples{
    CommandExamples{
        "new",
        "greymet new plant --line north=rtu,19200,8E1 --slave gauge=north,12,maps/moisture.csv",
        "greymet new --from maps/moisture.csv --slave gauge=north,13 --plan maltings.toml"},
    CommandExamples{"check", "greymet check draft.toml --least warning",
                    "greymet check slips.toml --fix --dry-run"},
    CommandExamples{"explain", "greymet explain F13", "greymet explain --json"},
    CommandExamples{"address", "greymet address 1011h 44114 --plan maltings.toml --slave burner",
                    "greymet address 400001"},
    CommandExamples{"value", "greymet value CCCD 418B --type f32 --near 17.4",
                    "greymet value 65516 --dec --type i16 --factor 0.1"},
    CommandExamples{"frame", "greymet frame maltings.toml burner-release",
                    "greymet frame --decode 01 03 00 00 00 0A C5 CD --mode rtu"},
    CommandExamples{"timing", "greymet timing maltings.toml north",
                    "greymet timing maltings.toml --why burner-set"},
    CommandExamples{"pack", "greymet pack maltings.toml", "greymet pack maltings.toml --json"},
    CommandExamples{"tune", "greymet tune maltings.toml", "greymet tune maltings.toml --most 3"},
    CommandExamples{"memory", "greymet memory maltings.toml loadout",
                    "greymet memory maltings.toml -o results"},
    CommandExamples{"points", "greymet points maltings.toml loadout",
                    "greymet points maltings.toml --tags kiln"},
    CommandExamples{"serve", "greymet serve maltings.toml --duration 1s",
                    "greymet serve maltings.toml --still --duration 1s -o served"},
    CommandExamples{
        "run", "greymet run maltings.toml --endpoints served/endpoints.json --duration 60s",
        "greymet run maltings.toml --controller kiln --expect expected.csv --until-met"},
    CommandExamples{
        "rehearse", "greymet rehearse maltings.toml --fast --duration 10s",
        "greymet rehearse maltings.toml --fast --duration 10s --no-faults -o rehearsed"},
    CommandExamples{"trend",
                    "greymet trend rehearsed/log.csv moisture.grain_moisture --plan maltings.toml",
                    "greymet trend rehearsed/log.csv moisture.grain_moisture burner.flame_signal "
                    "--plan maltings.toml -o results"},
    CommandExamples{"export", "greymet export maltings.toml -o handover",
                    "greymet export maltings.toml --compare handover"},
    CommandExamples{"report", "greymet report maltings.toml -o pages",
                    "greymet report maltings.toml -o pages --measured rehearsed"},
    CommandExamples{"diff", "greymet diff old.toml maltings.toml",
                    "greymet diff old.toml maltings.toml --json"},
    CommandExamples{"demo", "greymet demo", "greymet demo my-demo"},
};

}  // namespace

const CommandExamples* examples_of(std::string_view command) {
  const auto at =
      std::find_if(known_examples.begin(), known_examples.end(),
                   [&](const CommandExamples& each) { return each.command == command; });
  return at == known_examples.end() ? nullptr : &*at;
}

}  // namespace greymet::cli
