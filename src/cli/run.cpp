// The command line: which command takes which options.
#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>

#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include "cli/commands.h"
#include "cli/describe.h"
#include "model/nearest_name.h"

namespace greymet::cli {
namespace {

constexpr const char* exit_statuses =
    "Exit status: 0 fine; 1 findings of severity error, differences, or a rehearsal or run that\n"
    "failed; 2 wrong usage, or a plan that cannot be read; 3 a file, device or port could not be\n"
    "reached or written.";
constexpr const char* plan_help = "the plan, a TOML file";

// `extra` is a third format that the command knows beside text and JSON.
void add_format(CLI::App& command, std::string& format, const std::string& extra = {},
                const std::string& meaning = {}) {
  std::vector<std::string> known{"text", "json"};
  std::string help = "text or json";
  if (!extra.empty()) {
    known.push_back(extra);
    help = fmt::format("text, json or {} ({})", extra, meaning);
  }
  command.add_option("--format", format, help)->check(CLI::IsMember(known))->type_name("FORMAT");
  command.add_flag_callback(
      "--json", [&format] { format = "json"; }, "the same as --format json");
}

void add_output(CLI::App& command, std::string& out, bool& force, bool required) {
  auto* option =
      command.add_option("-o,--out", out, "folder for results and figures")->type_name("DIR");
  if (required) option->required();
  command.add_flag("--force", force, "overwrite files that greymet did not write");
}

void add_results(CLI::App& command, OutputOptions& output) {
  add_format(command, output.format);
  add_output(command, output.out, output.force, false);
}

// Accepts what reads as a number, and shows one where it does not.
CLI::Validator number_like(const std::string& example) {
  const auto check = [example](const std::string& text) {
    double value = 0;
    const bool good = CLI::detail::lexical_cast(text, value) && std::isfinite(value) &&
                      (example.find_first_of(".-") != std::string::npos || value >= 0);
    return good ? std::string() : fmt::format("'{}' does not fit; write e.g. {}", text, example);
  };
  return {check, ""};
}

// One row a command: its name, what it is for, its options, what runs it.
class CommandLine {
 public:
  explicit CommandLine(const Terminal& terminal) : terminal_(terminal) {
    app_.require_subcommand(1);
    app_.set_version_flag("--version", version_text());
    app_.set_help_flag("-h,--help", "print this help");
    app_.footer(exit_statuses);
    add_new();
    add_check();
    add_explain();
    add_address();
    add_value();
    add_frame();
    add_timing();
    add_pack();
    add_tune();
    add_memory();
    add_points();
    add_serve();
    add_run();
    add_rehearse();
    add_trend();
    add_export();
    add_report();
    add_diff();
    add_demo();
    add_describe();
  }

  int run(int argc, const char* const* argv) {
    if (const auto problem = wrong_command(argc, argv)) {
      terminal_.err << fmt::format("greymet: {}; see greymet --help\n", *problem);
      return exit_usage;
    }
    try {
      app_.parse(argc, argv);
    } catch (const CLI::CallForHelp&) {
      terminal_.out << app_.help() << '\n';
      return exit_fine;
    } catch (const CLI::CallForAllHelp&) {
      terminal_.out << app_.help("", CLI::AppFormatMode::All) << '\n';
      return exit_fine;
    } catch (const CLI::CallForVersion& version) {
      terminal_.out << version.what() << '\n';
      return exit_fine;
    } catch (const CLI::ParseError& error) {
      terminal_.err << fmt::format("greymet: {}; see greymet {}--help\n", error.what(),
                                   chosen_name());
      return exit_usage;
    }
    return action_();
  }

 private:
  // What is wrong with the first word, if it should be a command and is none.
  std::optional<std::string> wrong_command(int argc, const char* const* argv) {
    std::vector<std::string> names;
    std::vector<std::string> shown_names;
    for (const CLI::App* command : app_.get_subcommands({})) {
      names.push_back(command->get_name());
      if (!command->get_group().empty()) shown_names.push_back(command->get_name());
    }
    if (argc < 2) return fmt::format("a command is needed: {}", fmt::join(shown_names, ", "));
    const std::string_view word = argv[1];
    if (word.starts_with('-') || std::find(names.begin(), names.end(), word) != names.end()) {
      return std::nullopt;
    }
    const std::vector<std::string_view> known(shown_names.begin(), shown_names.end());
    return fmt::format("unknown command '{}'{}", word.substr(0, 40),
                       model::did_you_mean(word, known));
  }

  std::string chosen_name() {
    const auto chosen = app_.get_subcommands();
    return chosen.empty() ? std::string() : chosen.front()->get_name() + " ";
  }

  CLI::App& add(const char* name, const char* help, std::function<int()> action) {
    CLI::App* command = app_.add_subcommand(name, help);
    command->callback([this, action = std::move(action)] { action_ = action; });
    if (const CommandExamples* examples = examples_of(name)) {
      command->footer(fmt::format("Examples:\n  {}\n  {}\n\n{}", examples->first, examples->second,
                                  exit_statuses));
    }
    return *command;
  }

  void add_new() {
    auto& c = add("new", "write a commented plan to begin with, or add a slave to a plan",
                  [this] { return run_new(new_, terminal_); });
    c.add_option("DIR", new_.folder, "folder for the new plan");
    c.add_option("--title", new_.title, "of the plan")->type_name("TEXT");
    c.add_option("--controller", new_.controller, "name of the controller")
        ->capture_default_str()
        ->type_name("NAME");
    c.add_option("--line", new_.lines,
                 "a serial line: NAME=rtu|ascii,BAUD,FORMAT, e.g. "
                 "north=rtu,19200,8E1; again for each")
        ->expected(1)
        ->take_all()
        ->type_name("LINE");
    c.add_option("--slave", new_.slaves,
                 "a slave: NAME=LINE,UNIT or NAME=HOST[:PORT][,UNIT], and behind another comma its "
                 "map; again for each")
        ->expected(1)
        ->take_all()
        ->type_name("SLAVE");
    c.add_option("--peer", new_.peers, "another controller: NAME=ADDRESS; again for each")
        ->expected(1)
        ->take_all()
        ->type_name("PEER");
    c.add_option("--period", new_.period, "how often slaves are read")
        ->capture_default_str()
        ->type_name("TIME");
    c.add_option("--from", new_.from,
                 "with --plan: a map (.csv, .xlsx) or Thing Description (.json) of the new slave")
        ->type_name("FILE");
    c.add_option("--plan", new_.plan, "with --from: the plan that gets the slave")
        ->type_name("PLAN");
    c.add_option("--sheet", new_.sheet, "of a workbook; else the first with known headings")
        ->type_name("NAME");
    c.add_option("--numbering", new_.numbering,
                 "how manuals count: from-0, from-1 or reference; else as the map tells")
        ->type_name("WAY");
    c.add_flag("--force", new_.force, "overwrite files that greymet did not write");
  }
  void add_check() {
    auto& c = add("check", "find what is wrong in a plan, where, and how to cure it",
                  [this] { return run_check(check_, terminal_); });
    c.add_option("PLAN", check_.plan, plan_help)->required();
    c.add_option("--rules", check_.rules, "families and rules to run, e.g. F,M02")
        ->type_name("LIST");
    c.add_flag("--fix{certain}", check_.fix,
               "carry out the cures that can only mean one thing; --fix=offers: the first offer of "
               "each finding too")
        ->check(CLI::IsMember({"certain", "offers"}));
    c.add_flag("--dry-run", check_.dry_run, "with --fix: show what would change, and leave it");
    c.add_option("--least", check_.least, "show no less than this: error, warning or note")
        ->check(CLI::IsMember({"error", "warning", "note"}))
        ->type_name("SEVERITY");
    add_format(c, check_.format, "sarif", "SARIF 2.1.0");
  }
  void add_explain() {
    auto& c = add("explain", "say why a rule exists, with a wrong and a right example",
                  [this] { return run_explain(explain_, terminal_); });
    c.add_option("CODE", explain_.code,
                 "a rule such as F09, or a family such as F; all if left out");
    add_format(c, explain_.format, "markdown", "docs/rules.md, all rules");
  }
  void add_address() {
    auto& c = add("address", "show every reading of an address, and the point that lies there",
                  [this] { return run_address(address_, terminal_); });
    c.add_option("TEXT", address_.texts, "addresses in any notation, points, controllers' memory")
        ->required();
    c.add_option("--plan", address_.plan, "names the points there")->type_name("PLAN");
    c.add_option("--slave", address_.slave, "look at this slave of the plan only")
        ->type_name("NAME");
    add_format(c, address_.format);
  }
  void add_value() {
    auto& c = add("value", "read register words in all word orders",
                  [this] { return run_value(value_, terminal_); });
    c.add_option("HEX", value_.words,
                 "register words as they arrive, e.g. 42F6 E979 (hexadecimal; see --dec)")
        ->required();
    c.add_option("--type", value_.type, "as in a register map: f32, u32, bcd16, text(12) ...")
        ->required()
        ->type_name("TYPE");
    c.add_flag("--dec", value_.decimal, "the words are decimal, e.g. 17142 59769");
    c.add_option("--near", value_.near, "what the device itself shows; marks the order that fits")
        ->type_name("VALUE");
    c.add_option("--factor", value_.factor, "engineering value = raw x factor + offset")
        ->check(number_like("0.1"))
        ->type_name("NUMBER");
    c.add_option("--offset", value_.offset, "see --factor")
        ->check(number_like("-40"))
        ->type_name("NUMBER");
    c.add_option("--bit", value_.bit, "of a bool in a register, 0 = least significant")
        ->check(number_like("3"))
        ->type_name("NUMBER");
    add_format(c, value_.format);
  }
  void add_frame() {
    auto& c = add("frame", "show request and reply byte by byte, or decode pasted bytes",
                  [this] { return run_frame(frame_, terminal_); });
    c.add_option("PLAN", frame_.plan, plan_help);
    c.add_option("NAME", frame_.name, "a transaction; all in short if left out");
    c.add_option("--decode", frame_.decode, "bytes to decode, e.g. 01 03 00 00 00 0A C5 CD")
        ->type_name("HEX");
    c.add_option("--mode", frame_.mode, "with --decode: rtu, ascii or tcp")->type_name("MODE");
    c.add_option("--as", frame_.as, "with --decode: request or reply, where both would fit")
        ->check(CLI::IsMember({"request", "reply"}))
        ->type_name("WHAT");
    add_format(c, frame_.format);
  }
  void add_tune() {
    auto& c = add("tune", "look for the smallest changes that make a plan fit",
                  [this] { return run_tune(tune_, terminal_); });
    c.add_option("PLAN", tune_.plan, plan_help)->required();
    c.add_option("--most", tune_.most, "changes to show for each trouble")
        ->check(CLI::Range(std::size_t{1}, std::size_t{50}));
    c.add_option("--write", tune_.write,
                 "put the proposal of this number into the plan, and keep all else in it")
        ->check(CLI::Range(std::size_t{1}, std::size_t{100'000}))
        ->type_name("N");
    add_results(c, tune_.output);
  }
  void add_pack() {
    auto& c = add("pack", "make requests of the wanted points, with the least line time",
                  [this] { return run_pack(pack_, terminal_); });
    c.add_option("PLAN", pack_.plan, plan_help)->required();
    c.add_flag("--write", pack_.write, "put the requests into the plan, and keep all else in it");
    add_results(c, pack_.output);
  }
  void add_timing() {
    auto& c =
        add("timing", "time every transaction: durations, bounds, simulation, use of the lines",
            [this] { return run_timing(timing_, terminal_); });
    c.add_option("PLAN", timing_.plan, plan_help)->required();
    c.add_option("NAME", timing_.line, "one line or connection; all if left out");
    c.add_option("--frame-errors", timing_.frame_errors,
                 "share of frames lost or damaged, e.g. 1e-4: how often heartbeats then trip")
        ->check(number_like("0.0001"))
        ->check(CLI::Range(0.0, 0.5));
    c.add_flag("--pairs", timing_.pairs, "also simulate every two silent slaves of a line");
    c.add_option("--window", timing_.window,
                 "what the timelines of -o show, e.g. 200ms..600ms of plant time");
    c.add_option("--why", timing_.why,
                 "how the bound of one transaction is made up, and what came closest to it");
    add_results(c, timing_.output);
  }
  void add_memory() {
    auto& c = add("memory", "show what lies where in each controller and slave, and what is free",
                  [this] { return run_memory(memory_, terminal_); });
    c.add_option("PLAN", memory_.plan, plan_help)->required();
    c.add_option("NAME", memory_.name, "one controller or slave; all if left out");
    add_results(c, memory_.output);
  }
  void add_points() {
    auto& c = add("points",
                  "list every value from both ends: point, register, transaction, memory, tag, age",
                  [this] { return run_points(points_, terminal_); });
    c.add_option("PLAN", points_.plan, plan_help)->required();
    c.add_option("NAME", points_.name, "one controller or slave; all if left out");
    c.add_option("--tags", points_.tags,
                 "draft the table of tags that this controller's program would need, as CSV")
        ->type_name("CONTROLLER");
    add_format(c, points_.output.format, "csv", "one row a value");
    add_output(c, points_.output.out, points_.output.force, false);
  }
  void add_serve() {
    auto& c =
        add("serve", "answer for every slave of a plan, on loopback ports and pseudo-terminals",
            [this] { return run_serve(serve_, terminal_); });
    c.add_option("PLAN", serve_.plan, plan_help)->required();
    c.add_option(
         "--values", serve_.values,
         "start values and generators (where,value), e.g. moisture.grain_moisture,sine 11 14 "
         "60s")
        ->type_name("FILE");
    c.add_option("--faults", serve_.faults, "a table of faults (at,for,slave,fault,with)")
        ->type_name("FILE");
    c.add_flag("--still", serve_.still, "values do not move by themselves");
    c.add_option("--durations", serve_.durations, "delays of slaves: typical, longest or random")
        ->check(CLI::IsMember({"typical", "longest", "random"}))
        ->capture_default_str()
        ->type_name("WHICH");
    c.add_option("--listen", serve_.listen, "address to listen on; others than 127.0.0.1 open it")
        ->capture_default_str()
        ->type_name("ADDRESS");
    c.add_option("--duration", serve_.duration, "stop by itself after this time")
        ->type_name("TIME");
    add_results(c, serve_.output);
  }
  void add_run() {
    auto& c =
        add("run", "be the master of a plan against real or served slaves; reads only unless told",
            [this] { return run_run(run_, terminal_); });
    c.add_option("PLAN", run_.plan, plan_help)->required();
    c.add_option("--endpoints", run_.endpoints,
                 "where lines and hosts are, as serve writes it; else as the plan says")
        ->type_name("FILE");
    c.add_option("--controller", run_.controllers, "be this controller; all if left out")
        ->type_name("NAME");
    c.add_flag("--allow-writes", run_.allow_writes,
               "send writes too, those whose every word has a stated value");
    c.add_flag("--allow-broadcast", run_.allow_broadcast, "with --allow-writes: broadcasts too");
    c.add_option("--values", run_.values, "values that writes send (where,value)")
        ->type_name("FILE");
    c.add_option("--expect", run_.expect,
                 "values that must be there (where,value,tolerance,within): an acceptance test")
        ->type_name("FILE");
    c.add_flag("--until-met", run_.until_met, "stop once all that is expected is met");
    c.add_option("--duration", run_.duration, "stop by itself after this time")->type_name("TIME");
    c.add_flag("--unpaced", run_.unpaced,
               "lines hand bytes on at once, as pseudo-terminals do that nobody paces");
    add_results(c, run_.output);
  }
  void add_rehearse() {
    auto& c = add("rehearse",
                  "run the exchange against simulated slaves, with faults, and hold it against the "
                  "timing model",
                  [this] { return run_rehearse(rehearse_, terminal_); });
    c.add_option("PLAN", rehearse_.plan, plan_help)->required();
    c.add_flag("--fast", rehearse_.fast, "on virtual time, as fast as the computer goes");
    c.add_option("--duration", rehearse_.duration,
                 "of the quiet act in which responses are measured")
        ->capture_default_str()
        ->type_name("TIME");
    c.add_option("--durations", rehearse_.durations,
                 "delays of lines and slaves: typical, longest or random")
        ->check(CLI::IsMember({"typical", "longest", "random"}))
        ->capture_default_str()
        ->type_name("WHICH");
    c.add_option("--faults", rehearse_.faults,
                 "a table of faults (at,for,slave,fault,with) instead of every slave silent once")
        ->type_name("FILE");
    c.add_flag("--no-faults", rehearse_.no_faults, "leave the faults out");
    add_results(c, rehearse_.output);
  }
  void add_trend() {
    auto& c = add("trend", "follow values through the log of a run or rehearsal",
                  [this] { return run_trend(trend_, terminal_); });
    c.add_option("LOG", trend_.log, "log.csv of run or rehearse")->required();
    c.add_option("POINT", trend_.points, "slave.point, as many as wanted")->required();
    c.add_option("--plan", trend_.plan, "the plan that was run")->required()->type_name("PLAN");
    add_results(c, trend_.output);
  }
  void add_export() {
    auto& c = add("export",
                  "write the exchange for download and handover, or hold a folder against the plan",
                  [this] { return run_export(export_, terminal_); });
    c.add_option("PLAN", export_.plan, plan_help)->required();
    c.add_option("--only", export_.only,
                 "formats to write: json, csv, xlsx, st, plcopen, things; all if left out")
        ->delimiter(',')
        ->type_name("LIST");
    c.add_option("--compare", export_.compare,
                 "instead of writing: say whether this folder, or file from site, is what the plan "
                 "gives")
        ->type_name("PATH");
    add_format(c, export_.format);
    add_output(c, export_.out, export_.force, false);
  }
  void add_report() {
    auto& c = add("report", "write the pages for handover: report.html and commissioning.html",
                  [this] { return run_report(report_, terminal_); });
    c.add_option("PLAN", report_.plan, plan_help)->required();
    c.add_option("--measured", report_.measured,
                 "folder of a rehearsal or run, to stand beside the plan's numbers")
        ->type_name("DIR");
    add_output(c, report_.out, report_.force, true);
  }
  void add_diff() {
    auto& c = add("diff", "say what changed between two plans, and what it does to timing",
                  [this] { return run_diff(diff_, terminal_); });
    c.add_option("OLD", diff_.old_plan, "the plan as it was")->required();
    c.add_option("NEW", diff_.new_plan, "the plan as it is now")->required();
    add_format(c, diff_.format);
  }
  void add_demo() {
    auto& c = add("demo", "write the demo plans and maps, and go through every step on them",
                  [this] { return run_demo(demo_, terminal_); });
    c.add_option("DIR", demo_.folder, "folder for the demo")->capture_default_str();
    c.add_flag("--force", demo_.force, "overwrite files that greymet did not write");
  }

  // For who builds packages; not shown.
  void add_describe() {
    auto& c = add("describe", "print manual pages and completions", [this] { return describe(); });
    c.group("");
    c.add_option("WHAT", what_, "man or bash")->required()->check(CLI::IsMember({"man", "bash"}));
    c.add_option("COMMAND", of_, "the command of a manual page; the program if left out");
  }
  int describe() {
    if (what_ == "bash") {
      terminal_.out << bash_completion(app_);
      return exit_fine;
    }
    const CLI::App* command = nullptr;
    for (const CLI::App* each : app_.get_subcommands({})) {
      if (each->get_name() == of_) command = each;
    }
    if (!of_.empty() && command == nullptr)
      return usage_error(terminal_, "there is no such command");
    terminal_.out << man_page(app_, command);
    return exit_fine;
  }

  const Terminal& terminal_;
  CLI::App app_{
      "Plan, check, time, rehearse and run the Modbus exchange between controllers and slaves",
      "greymet"};
  std::function<int()> action_;
  CheckOptions check_;
  ExplainOptions explain_;
  AddressOptions address_;
  ValueOptions value_;
  FrameOptions frame_;
  TimingOptions timing_;
  PackOptions pack_;
  TuneOptions tune_;
  MemoryOptions memory_;
  PointsOptions points_;
  ServeOptions serve_;
  RunOptions run_;
  RehearseOptions rehearse_;
  TrendOptions trend_;
  ExportOptions export_;
  ReportOptions report_;
  DiffOptions diff_;
  NewOptions new_;
  DemoOptions demo_;
  std::string what_;
  std::string of_;
};

}  // namespace

int run(int argc, const char* const* argv, const Terminal& terminal) {
  return CommandLine(terminal).run(argc, argv);
}

}  // namespace greymet::cli
