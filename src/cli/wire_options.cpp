// Options of the commands on the wire, and of those for handover.
#include "cli/describe.h"
#include "command_line.h"

namespace greymet::cli {
namespace {

constexpr const char* beside_help =
    "where files are that a plan names and that do not lie beside it, as git hands over old plans";

}  // namespace

void CommandLine::add_serve() {
  auto& c = add("serve", "answer for every slave of a plan, on loopback ports and pseudo-terminals",
                [this] { return run_serve(serve_, terminal_); });
  c.add_option("PLAN", serve_.plan, plan_help)->required();
  c.add_option("--values", serve_.values,
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
  c.add_option("--duration", serve_.duration, "stop by itself after this time")->type_name("TIME");
  add_results(c, serve_.output);
}

void CommandLine::add_run() {
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
  c.add_option("--values", run_.values, "values that writes send (where,value)")->type_name("FILE");
  c.add_option("--expect", run_.expect,
               "values that must be there (where,value,tolerance,within): an acceptance test")
      ->type_name("FILE");
  c.add_flag("--until-met", run_.until_met, "stop once all that is expected is met");
  c.add_option("--duration", run_.duration, "stop by itself after this time")->type_name("TIME");
  c.add_flag("--unpaced", run_.unpaced,
             "lines hand bytes on at once, as pseudo-terminals do that nobody paces");
  add_results(c, run_.output);
}

void CommandLine::add_rehearse() {
  auto& c = add("rehearse",
                "run the exchange against simulated slaves, with faults, and hold it against the "
                "timing model",
                [this] { return run_rehearse(rehearse_, terminal_); });
  c.add_option("PLAN", rehearse_.plan, plan_help)->required();
  c.add_flag("--fast", rehearse_.fast, "on virtual time, as fast as the computer goes");
  c.add_option("--duration", rehearse_.duration, "of the quiet act in which responses are measured")
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

void CommandLine::add_trend() {
  auto& c = add("trend", "follow values through the log of a run or rehearsal",
                [this] { return run_trend(trend_, terminal_); });
  c.add_option("LOG", trend_.log, "log.csv of run or rehearse")->required();
  c.add_option("POINT", trend_.points, "slave.point, as many as wanted")->required();
  c.add_option("--plan", trend_.plan, "the plan that was run")->required()->type_name("PLAN");
  add_results(c, trend_.output);
}

void CommandLine::add_export() {
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
  c.add_flag("--print", export_.print, "instead of writing: print the one format of --only");
  c.add_option("--beside", export_.beside, beside_help)->type_name("DIR");
  add_format(c, export_.format);
  add_output(c, export_.out, export_.force, false);
}

void CommandLine::add_report() {
  auto& c = add("report", "write the pages for handover: report.html and commissioning.html",
                [this] { return run_report(report_, terminal_); });
  c.add_option("PLAN", report_.plan, plan_help)->required();
  c.add_option("--measured", report_.measured,
               "folder of a rehearsal or run, to stand beside the plan's numbers")
      ->type_name("DIR");
  add_output(c, report_.out, report_.force, true);
}

void CommandLine::add_diff() {
  auto& c = add("diff", "say what changed between two plans, and what it does to timing",
                [this] { return run_diff(diff_, terminal_); });
  c.add_option("OLD", diff_.old_plan, "the plan as it was")->required();
  c.add_option("NEW", diff_.new_plan, "the plan as it is now")->required();
  c.add_option("--beside", diff_.beside, beside_help)->type_name("DIR");
  add_format(c, diff_.format);
}

void CommandLine::add_demo() {
  auto& c = add("demo", "write the demo plans and maps, and go through every step on them",
                [this] { return run_demo(demo_, terminal_); });
  c.add_option("DIR", demo_.folder, "folder for the demo")->capture_default_str();
  c.add_flag("--force", demo_.force, "overwrite files that greymet did not write");
}

void CommandLine::add_describe() {
  auto& c = add("describe", "print manual pages and completions", [this] { return describe(); });
  c.group("");
  c.add_option("WHAT", what_, "man or bash")->required()->check(CLI::IsMember({"man", "bash"}));
  c.add_option("COMMAND", of_, "the command of a manual page; the program if left out");
}

}  // namespace greymet::cli
