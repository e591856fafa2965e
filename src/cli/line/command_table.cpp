// The commands, in the order of the work: one row each.
#include <algorithm>
#include <array>
#include <cmath>

#include <fmt/format.h>

#include "command_line.h"

namespace greymet::cli {
namespace {

constexpr std::array command_rows{
    Command{"new", "write a commented plan to begin with, or add a slave to a plan",
            "greymet new plant --line north=rtu,19200,8E1 --slave gauge=north,12,maps/moisture.csv",
            "greymet new --from maps/moisture.csv --slave gauge=north,13 --plan maltings.toml",
            declare_new},
    Command{"check", "find what is wrong in a plan, where, and what to write instead",
            "greymet check draft.toml --least warning", "greymet check slips.toml --fix --dry-run",
            declare_check},
    Command{"explain", "say why a rule exists, with a wrong and a right example",
            "greymet explain F13", "greymet explain --json", declare_explain},
    Command{"address", "show every reading of an address, and the point that lies there",
            "greymet address 1011h 44114 --plan maltings.toml --slave burner",
            "greymet address 400001", declare_address},
    Command{"value", "read register words in all word orders",
            "greymet value CCCD 418B --type f32 --near 17.4",
            "greymet value 65516 --dec --type i16 --factor 0.1", declare_value},
    Command{"frame", "show request and reply byte by byte, or decode pasted bytes",
            "greymet frame maltings.toml burner-release",
            "greymet frame --decode 01 03 00 00 00 0A C5 CD --mode rtu", declare_frame},
    Command{"timing", "time every transaction: durations, bounds, simulation, use of the lines",
            "greymet timing maltings.toml north", "greymet timing maltings.toml --why burner-set",
            declare_timing},
    Command{"pack", "make requests of the wanted points, with the least line time",
            "greymet pack maltings.toml", "greymet pack maltings.toml --json", declare_pack},
    Command{"tune", "look for the smallest changes that make a plan fit",
            "greymet tune maltings.toml", "greymet tune maltings.toml --most 3", declare_tune},
    Command{"memory", "show what lies where in each controller and slave, and what is free",
            "greymet memory maltings.toml loadout", "greymet memory maltings.toml -o results",
            declare_memory},
    Command{"points",
            "list every value from both ends: point, register, transaction, memory, tag, age",
            "greymet points maltings.toml loadout", "greymet points maltings.toml --tags kiln",
            declare_points},
    Command{"serve", "answer for every slave of a plan, on loopback ports and pseudo-terminals",
            "greymet serve maltings.toml --duration 1s",
            "greymet serve maltings.toml --still --duration 1s -o served", declare_serve},
    Command{"run", "be the master of a plan against real or served slaves; reads only unless told",
            "greymet run maltings.toml --endpoints served/endpoints.json --duration 60s",
            "greymet run maltings.toml --controller kiln --expect expected.csv --until-met",
            declare_run},
    Command{"hand", "read or write one value by hand, with the plan or without one",
            "greymet hand maltings.toml moisture.grain_moisture",
            "greymet hand --at 10.20.0.31 --unit 1 hr:10 --count 4", declare_hand},
    Command{"probe", "ask a device what its manual does not say: offset, order, holes, settings",
            "greymet probe maltings.toml moisture --point grain_moisture --near 43.1",
            "greymet probe --device /dev/ttyUSB0 --unit 12 --settings", declare_probe},
    Command{"rehearse",
            "run the exchange against simulated slaves, with faults, and hold it against the "
            "timing model",
            "greymet rehearse maltings.toml --fast --duration 10s",
            "greymet rehearse maltings.toml --fast --duration 10s --no-faults -o rehearsed",
            declare_rehearse},
    Command{"audit", "hold what was on the wire against the plan: a capture, or a log of a line",
            "greymet audit maltings.toml site.pcapng",
            "greymet audit maltings.toml north.log --line north --learn", declare_audit},
    Command{"trend", "follow values through the log of a run or rehearsal",
            "greymet trend rehearsed/log.csv moisture.grain_moisture --plan maltings.toml",
            "greymet trend rehearsed/log.csv moisture.grain_moisture burner.flame_signal --plan "
            "maltings.toml -o results",
            declare_trend},
    Command{"export",
            "write the exchange for download and handover, or hold a folder against the plan",
            "greymet export maltings.toml -o handover",
            "greymet export maltings.toml --compare handover", declare_export},
    Command{"report", "write the pages for handover: report.html and commissioning.html",
            "greymet report maltings.toml -o pages",
            "greymet report maltings.toml -o pages --measured rehearsed", declare_report},
    Command{"diff", "say what changed between two plans, and what it does to timing",
            "greymet diff old.toml maltings.toml", "greymet diff old.toml maltings.toml --json",
            declare_diff},
    Command{"editor",
            "serve an editor: findings, fixes and numbers while a plan is written (LSP 3.17)",
            "greymet editor", "greymet editor --stdio", declare_editor},
    Command{"schema", "write the JSON Schema of plans, for editors without a language server",
            "greymet schema", "greymet schema -o editor", declare_schema},
    Command{"demo", "write the demo plans and maps, and go through every step on them",
            "greymet demo", "greymet demo my-demo", declare_demo},
};

}  // namespace

std::span<const Command> all_commands() {
  return command_rows;
}

const Command* command_named(std::string_view name) {
  const auto at = std::find_if(command_rows.begin(), command_rows.end(),
                               [&](const Command& each) { return each.name == name; });
  return at == command_rows.end() ? nullptr : &*at;
}

CLI::Validator number_like(const std::string& example) {
  const auto check = [example](const std::string& text) {
    double value = 0;
    const bool good = CLI::detail::lexical_cast(text, value) && std::isfinite(value) &&
                      (example.find_first_of(".-") != std::string::npos || value >= 0);
    return good ? std::string() : fmt::format("'{}' does not fit; write e.g. {}", text, example);
  };
  return {check, ""};
}

}  // namespace greymet::cli
