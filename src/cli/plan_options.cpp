// Options of the commands that work on a plan alone.
#include <cmath>

#include <fmt/format.h>

#include "command_line.h"

namespace greymet::cli {
namespace {

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

}  // namespace

void CommandLine::add_new() {
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
  c.add_option("--plan", new_.plan, "with --from: the plan that gets the slave")->type_name("PLAN");
  c.add_option("--sheet", new_.sheet, "of a workbook; else the first with known headings")
      ->type_name("NAME");
  c.add_option("--numbering", new_.numbering,
               "how manuals count: from-0, from-1 or reference; else as the map tells")
      ->type_name("WAY");
  c.add_flag("--force", new_.force, "overwrite files that greymet did not write");
}

void CommandLine::add_check() {
  auto& c = add("check", "find what is wrong in a plan, where, and how to cure it",
                [this] { return run_check(check_, terminal_); });
  c.add_option("PLAN", check_.plan, plan_help)->required();
  c.add_option("--rules", check_.rules, "families and rules to run, e.g. F,M02")->type_name("LIST");
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

void CommandLine::add_explain() {
  auto& c = add("explain", "say why a rule exists, with a wrong and a right example",
                [this] { return run_explain(explain_, terminal_); });
  c.add_option("CODE", explain_.code, "a rule such as F09, or a family such as F; all if left out");
  add_format(c, explain_.format, "markdown", "docs/rules.md, all rules");
}

void CommandLine::add_address() {
  auto& c = add("address", "show every reading of an address, and the point that lies there",
                [this] { return run_address(address_, terminal_); });
  c.add_option("TEXT", address_.texts, "addresses in any notation, points, controllers' memory")
      ->required();
  c.add_option("--plan", address_.plan, "names the points there")->type_name("PLAN");
  c.add_option("--slave", address_.slave, "look at this slave of the plan only")->type_name("NAME");
  add_format(c, address_.format);
}

void CommandLine::add_value() {
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

void CommandLine::add_frame() {
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

void CommandLine::add_tune() {
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

void CommandLine::add_pack() {
  auto& c = add("pack", "make requests of the wanted points, with the least line time",
                [this] { return run_pack(pack_, terminal_); });
  c.add_option("PLAN", pack_.plan, plan_help)->required();
  c.add_flag("--write", pack_.write, "put the requests into the plan, and keep all else in it");
  add_results(c, pack_.output);
}

void CommandLine::add_timing() {
  auto& c = add("timing", "time every transaction: durations, bounds, simulation, use of the lines",
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

void CommandLine::add_memory() {
  auto& c = add("memory", "show what lies where in each controller and slave, and what is free",
                [this] { return run_memory(memory_, terminal_); });
  c.add_option("PLAN", memory_.plan, plan_help)->required();
  c.add_option("NAME", memory_.name, "one controller or slave; all if left out");
  add_results(c, memory_.output);
}

void CommandLine::add_points() {
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

}  // namespace greymet::cli
