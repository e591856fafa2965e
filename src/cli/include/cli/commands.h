// The commands: options in, exit status out. Each prints to the terminal it is given, so that it
// can be tested without a process. `declare_` adds a command's options to the command line and
// returns what runs it with what was parsed; the terminal outlives that.
#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

#include "cli/terminal.h"

namespace CLI {  // NOLINT(readability-identifier-naming): the library's
class App;
}

namespace greymet::cli {

using Action = std::function<int()>;

// What commands with results have in common: --format, -o and --force.
struct OutputOptions {
  std::string format = "text";
  std::string out;
  bool force = false;
};

// greymet check PLAN
struct CheckOptions {
  std::string plan;
  std::string rules;
  std::string format = "text";
  std::string fix;  // "certain" or "offers"; empty: nothing is changed
  bool dry_run = false;
  std::string least = "note";
  std::string measured;  // what run or rehearse wrote; empty: nothing was measured
};
[[nodiscard]] int run_check(const CheckOptions& options, const Terminal& terminal);
Action declare_check(CLI::App& command, const Terminal& terminal);

// greymet explain [CODE]
struct ExplainOptions {
  std::string code;
  std::string format = "text";
};
[[nodiscard]] int run_explain(const ExplainOptions& options, const Terminal& terminal);
Action declare_explain(CLI::App& command, const Terminal& terminal);

// greymet address TEXT...
struct AddressOptions {
  std::vector<std::string> texts;
  std::string plan;
  std::string slave;
  std::string format = "text";
};
[[nodiscard]] int run_address(const AddressOptions& options, const Terminal& terminal);
Action declare_address(CLI::App& command, const Terminal& terminal);

// greymet value HEX... --type T
struct ValueOptions {
  bool decimal = false;  // the words are decimal
  std::vector<std::string> words;
  std::string to;  // the other way: words for this value,
  std::string plan;
  std::string point;  // of this point of the plan
  std::string type;
  std::string near;
  double factor = 1;
  double offset = 0;
  std::uint32_t bit = 0;
  std::string format = "text";
};
[[nodiscard]] int run_value(const ValueOptions& options, const Terminal& terminal);
Action declare_value(CLI::App& command, const Terminal& terminal);

// greymet frame PLAN [NAME], greymet frame --decode HEX --mode MODE
struct FrameOptions {
  std::string plan;
  std::string name;
  std::vector<std::string> decode;
  std::vector<std::string> with;  // "slave.point=33.5"
  std::string mode;
  std::string as;
  std::string format = "text";
};
[[nodiscard]] int run_frame(const FrameOptions& options, const Terminal& terminal);
Action declare_frame(CLI::App& command, const Terminal& terminal);

// greymet timing PLAN
struct TimingOptions {
  std::string line;  // one line or connection; all if left out
  std::string plan;
  double frame_errors = 0;
  bool pairs = false;
  bool legend = false;
  std::string window;
  std::string why;
  std::string measured;  // what run or rehearse wrote; empty: nothing was measured
  OutputOptions output;
};
[[nodiscard]] int run_timing(const TimingOptions& options, const Terminal& terminal);
Action declare_timing(CLI::App& command, const Terminal& terminal);

// greymet memory PLAN [NAME]
struct MemoryOptions {
  std::string plan;
  std::string name;
  OutputOptions output;
};
[[nodiscard]] int run_memory(const MemoryOptions& options, const Terminal& terminal);
Action declare_memory(CLI::App& command, const Terminal& terminal);

// greymet points PLAN [NAME], greymet points PLAN --tags CONTROLLER
struct PointsOptions {
  std::string plan;
  std::string name;
  std::string tags;  // draft a table of tags for this controller
  OutputOptions output;
};
[[nodiscard]] int run_points(const PointsOptions& options, const Terminal& terminal);
Action declare_points(CLI::App& command, const Terminal& terminal);

// greymet pack PLAN
struct PackOptions {
  std::string plan;
  bool write = false;
  OutputOptions output;
};
[[nodiscard]] int run_pack(const PackOptions& options, const Terminal& terminal);
Action declare_pack(CLI::App& command, const Terminal& terminal);

// greymet tune PLAN
struct TuneOptions {
  std::size_t write = 0;  // the proposal to put into the plan; 0: none
  std::string plan;
  std::size_t most = 6;
  OutputOptions output;
  std::string measured;  // what run or rehearse wrote; empty: nothing was measured
};
[[nodiscard]] int run_tune(const TuneOptions& options, const Terminal& terminal);
Action declare_tune(CLI::App& command, const Terminal& terminal);

// greymet serve PLAN
struct ServeOptions {
  std::string plan;
  std::vector<std::string> values;  // files; "-" is standard input
  std::string faults;
  std::string expect;
  std::string places;                // a file of devices and ports; empty: of our own choice
  std::vector<std::string> only;     // slaves and answering controllers; empty: all
  std::vector<std::string> without;  // but for these
  std::string listen = "127.0.0.1";
  std::string durations = "typical";
  std::string duration;  // empty: until it is stopped
  bool still = false;
  bool watch = false;
  bool until_met = false;
  OutputOptions output;
};
[[nodiscard]] int run_serve(const ServeOptions& options, const Terminal& terminal);
Action declare_serve(CLI::App& command, const Terminal& terminal);

// greymet run PLAN
struct RunOptions {
  std::string plan;
  std::string endpoints;
  std::vector<std::string> values;  // files; "-" is standard input
  std::string expect;
  std::string duration;  // empty: until it is stopped
  std::string tolerate = "0%";
  std::vector<std::string> controllers;
  bool allow_writes = false;
  bool allow_broadcast = false;
  bool until_met = false;
  bool watch = false;
  bool answer = false;
  bool learn = false;  // reply times, as lines of the plan
  bool write = false;  // with `learn`: into it
  bool unpaced = false;
  OutputOptions output;
};
[[nodiscard]] int run_run(const RunOptions& options, const Terminal& terminal);
Action declare_run(CLI::App& command, const Terminal& terminal);

// greymet hand PLAN WHERE [VALUE]
struct HandOptions {
  std::vector<std::string> words;  // PLAN WHERE [VALUE]; with `at` without the plan
  std::string endpoints;
  std::string at;  // host, host:port or device; empty: as the plan says
  std::string mode;
  std::int64_t unit = 255;
  std::int64_t baud = 19200;
  std::string format = "8E1";
  std::string timeout = "1s";
  std::string type;  // empty: the point's; u16, or bool of bits
  std::string order;
  std::int64_t count = 0;  // 0: as the type needs
  std::string every;       // empty: once
  std::int64_t times = 0;  // with `every`; 0: until it is stopped
  std::string log;
  bool yes = false;
  bool force = false;
  bool unpaced = false;
};
[[nodiscard]] int run_hand(const HandOptions& options, const Terminal& terminal);
Action declare_hand(CLI::App& command, const Terminal& terminal);

// greymet probe PLAN [SLAVE]
struct ProbeOptions {
  std::vector<std::string> words;  // PLAN and SLAVE; none with `device`
  std::string endpoints;
  std::string point;
  std::string at;    // "hr:10", "40011"
  std::string type;  // of `at`
  std::string near;  // what the device's display shows
  bool functions = false;
  bool holes = false;
  bool longest = false;
  bool settings = false;
  bool at_once = false;
  std::string plan_from;     // folder for a plan of what is found
  std::int64_t up_to = 200;  // registers and bits looked at for it
  std::int64_t times = 0;
  std::string units;  // "1..20"
  bool write = false;
  std::string share = "50%";
  std::string timeout;  // empty: the plan's; 200ms for units and settings
  std::string device;   // host, host:port or serial device; without a plan
  std::string mode;
  std::int64_t unit = 255;
  std::int64_t baud = 19200;
  std::string format = "8E1";
  bool unpaced = false;
  OutputOptions output;
};
[[nodiscard]] int run_probe(const ProbeOptions& options, const Terminal& terminal);
Action declare_probe(CLI::App& command, const Terminal& terminal);

// greymet audit PLAN CAPTURE
struct AuditOptions {
  std::vector<std::string> words;  // PLAN CAPTURE; with `plan_from` CAPTURE DIR
  bool plan_from = false;
  bool force = false;
  std::string line;               // the capture is a text log of it
  std::string window;             // "12s..13s": what the timelines show
  std::vector<std::string> maps;  // "192.0.2.7=10.20.0.31"
  bool learn = false;
  bool write = false;
  OutputOptions output;
};
[[nodiscard]] int run_audit(const AuditOptions& options, const Terminal& terminal);
Action declare_audit(CLI::App& command, const Terminal& terminal);

// greymet rehearse PLAN
struct RehearseOptions {
  std::string plan;
  bool fast = false;
  std::string duration = "30s";
  std::string durations = "typical";
  std::string faults;  // a table of them; empty: every slave silent once
  bool no_faults = false;
  OutputOptions output;
};
[[nodiscard]] int run_rehearse(const RehearseOptions& options, const Terminal& terminal);
Action declare_rehearse(CLI::App& command, const Terminal& terminal);

// greymet trend LOG --plan PLAN POINT...
struct TrendOptions {
  std::string log;
  std::string plan;
  std::vector<std::string> points;
  bool follow = false;
  OutputOptions output;
};
[[nodiscard]] int run_trend(const TrendOptions& options, const Terminal& terminal);
Action declare_trend(CLI::App& command, const Terminal& terminal);

// greymet export PLAN -o DIR
struct ExportOptions {
  std::string plan;
  std::string out;
  std::string compare;            // a folder or a file to hold against the plan
  std::vector<std::string> only;  // names of formats; empty: all
  bool force = false;
  bool print = false;           // one format, to stdout
  std::string beside;           // folder with files of the plan
  std::string format = "text";  // of what --compare finds
};
[[nodiscard]] int run_export(const ExportOptions& options, const Terminal& terminal);
Action declare_export(CLI::App& command, const Terminal& terminal);

// greymet report PLAN -o DIR
struct ReportOptions {
  std::string plan;
  std::string out;
  std::string measured;  // folder of a rehearsal or run; empty: none
  bool force = false;
};
[[nodiscard]] int run_report(const ReportOptions& options, const Terminal& terminal);
Action declare_report(CLI::App& command, const Terminal& terminal);

// greymet diff OLD NEW
struct DiffOptions {
  std::string old_plan;
  std::string new_plan;
  std::string beside;  // folder with files of both plans
  std::string plan;    // of two maps: whose rows use them
  std::string format = "text";
};
[[nodiscard]] int run_diff(const DiffOptions& options, const Terminal& terminal);
Action declare_diff(CLI::App& command, const Terminal& terminal);

// greymet new DIR, or new --from FILE --slave NAME=LINE,UNIT --plan PLAN
struct NewOptions {
  std::string folder;
  std::string title = "New exchange";
  std::string controller = "plc";
  std::string period = "1s";
  std::vector<std::string> lines;   // "north=rtu,19200,8E1"
  std::vector<std::string> slaves;  // "gauge=north,12,gauge.csv"
  std::vector<std::string> peers;   // "loadout=192.168.1.20"
  std::string from;
  std::string plan;
  std::string sheet;
  std::string numbering;
  std::vector<std::string> readings;  // "scale=divide", "meter:addresses=hex"
  std::string headings;               // file of more headings
  bool tags = false;                  // draft the table of tags too
  bool table = false;                 // transactions in a CSV
  bool example = false;               // slaves without a map get one to try things with
  bool update = false;                // of a slave that is there: a newer revision of its map
  bool dry_run = false;
  bool force = false;
};
[[nodiscard]] int run_new(const NewOptions& options, const Terminal& terminal);
Action declare_new(CLI::App& command, const Terminal& terminal);

// greymet schema
[[nodiscard]] int run_schema(const OutputOptions& options, const Terminal& terminal);
Action declare_schema(CLI::App& command, const Terminal& terminal);

// greymet editor: the Language Server Protocol over standard input and output, until the editor
// says `exit` or goes away.
[[nodiscard]] int run_editor(const Terminal& terminal);
Action declare_editor(CLI::App& command, const Terminal& terminal);

// greymet demo [DIR]
struct DemoOptions {
  std::string folder = "greymet-demo";
  bool all = false;  // of what every step says
  bool force = false;
};
[[nodiscard]] int run_demo(const DemoOptions& options, const Terminal& terminal);
Action declare_demo(CLI::App& command, const Terminal& terminal);

// Parses the arguments and runs the command they name. Never throws for what a user can do.
[[nodiscard]] int run(int argc, const char* const* argv, const Terminal& terminal);

}  // namespace greymet::cli
