#include <memory>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/results.h"
#include "cli/rewrite.h"
#include "files/cures.h"
#include "files/result_json.h"
#include "line/command_line.h"
#include "model/duration_text.h"
#include "packing/tune.h"
#include "tables/packing_tables.h"

namespace greymet::cli {
namespace {

using packing::LineState;
using packing::TuneGoal;

std::string slaves(std::size_t count) {
  return count == 1 ? "1 slave" : fmt::format("{} slaves", count);
}

// What is wrong with the line as it is.
std::string trouble(const packing::TuneAdvice& advice) {
  const LineState& s = advice.before;
  switch (advice.goal) {
    case TuneGoal::fit:
      return s.missed > 0
                 ? fmt::format("does not fit: use {:.1f} %, {} missed", s.utilisation_percent,
                               s.missed == 1 ? std::string("1 release is")
                                             : fmt::format("{} releases are", s.missed))
                 : fmt::format("does not fit: use {:.1f} %", s.utilisation_percent);
    case TuneGoal::guarantee:
      return fmt::format(
          "fits in the simulation, but the bound of {} transaction{} exceeds the "
          "period",
          s.late, s.late == 1 ? "" : "s");
    case TuneGoal::endure:
      return fmt::format("{} can, by being silent, make others miss releases again and again: {}",
                         slaves(s.hurtful), s.worst);
    case TuneGoal::endure_all:
      return fmt::format("{} can, by being silent, make others miss releases until parked: {}",
                         slaves(s.hurtful_all), s.worst);
  }
  return {};
}

std::string state_text(const LineState& s, TuneGoal goal) {
  std::string text = fmt::format("use {:.1f} %", s.utilisation_percent);
  if (s.response_simulated) {
    text += fmt::format(", longest response {}", model::in_ms(*s.response_simulated));
  }
  text += s.missed > 0 ? fmt::format(", {} missed", s.missed) : std::string(", nothing missed");
  if (goal != TuneGoal::guarantee && s.late > 0) {
    text += fmt::format(", {} not guaranteed", s.late);
  }
  if (s.hurtful > 0) {
    text +=
        fmt::format("; {} if silent still hurt{}", slaves(s.hurtful), s.hurtful == 1 ? "s" : "");
  } else if (s.hurtful_all > 0) {
    text += fmt::format("; {} if silent hurt{} until parked", slaves(s.hurtful_all),
                        s.hurtful_all == 1 ? "s" : "");
  } else {
    text += "; no silent slave hurts others";
  }
  return text;
}

std::string tune_text(const std::vector<packing::TuneAdvice>& all, const Terminal& terminal) {
  if (all.empty()) {
    return "Everything fits, every bound is within its period, and no silent slave makes\n"
           "others miss releases: nothing to tune.\n";
  }
  const std::size_t width = std::max<std::size_t>(terminal.width, 80);
  std::string text;
  int number = 0;
  for (const packing::TuneAdvice& advice : all) {
    if (advice.too_many > 0) {
      text += fmt::format(
          "{}\n  {} transactions, use {:.1f} %: too many on one line to try changes "
          "one by one;\n  divide it first\n\n",
          tinted(terminal, Tint::bold, shown(advice.line)), advice.too_many,
          advice.before.utilisation_percent);
      continue;
    }
    text += tinted(terminal, Tint::bold, shown(advice.line)) + "\n  " +
            folded(shown(trouble(advice)), 2, 2, width) + "\n";
    if (advice.changes.empty()) {
      text +=
          fmt::format("  none of {} changes tried is enough, nor any two together\n", advice.tried);
    }
    for (const packing::TuneChange& change : advice.changes) {
      text += fmt::format("  {:>2}. {}\n", ++number, folded(shown(change.text), 6, 6, width));
      text += "      " +
              tinted(terminal, Tint::dim, folded("costs: " + shown(change.cost), 6, 13, width)) +
              "\n";
      text +=
          "      " + folded("gives: " + state_text(change.after, advice.goal), 6, 13, width) + "\n";
    }
    text += '\n';
  }
  return text +
         folded(
             "Each change was carried out on a copy of the plan and simulated with longest "
             "durations, in health and with each slave silent. The least intrusive comes first: "
             "phases, retries, timeout, park, periods, baud, a second line. --write N puts "
             "proposal "
             "N into the plan.",
             0, 0, width) +
         "\n";
}

// Puts one proposal into the plan, where nothing as grave as a warning comes of it.
int write_proposal(const TuneOptions& options, const files::LoadedPlan& loaded,
                   const std::vector<packing::TuneAdvice>& advice, const Terminal& terminal) {
  std::size_t number = 0;
  for (const packing::TuneAdvice& each : advice) {
    for (const packing::TuneChange& change : each.changes) {
      if (++number != options.write) continue;
      const files::Rewriting rewriting =
          files::carry_out(loaded, files::disk_files(), change.fix, model::Severity::warning);
      if (!rewriting.can_be_written) {
        terminal.err << fmt::format(
            "greymet: the plan is written in a way that this cannot be put into: by hand, {}\n",
            shown(change.text));
        return exit_findings;
      }
      if (rewriting.because) {
        terminal.err << fmt::format(
            "greymet: nothing is written: it would bring {} {}: {}: {}\n",
            to_string(rewriting.because->severity), to_string(rewriting.because->rule),
            shown(to_text(rewriting.because->subject)), shown(rewriting.because->message));
        return exit_findings;
      }
      print_changes(rewriting.files, terminal);
      return write_files(options.plan, rewriting.files, terminal);
    }
  }
  terminal.err << fmt::format("greymet: there is no proposal {}; there {} {}\n", options.write,
                              number == 1 ? "is" : "are", number);
  return exit_usage;
}

}  // namespace

int run_tune(const TuneOptions& options, const Terminal& terminal) {
  if (options.write > 0 && !options.measured.empty()) {
    return usage_error(terminal, "--write works on what the plan states; leave --measured out");
  }
  UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  if (const auto refused = take_measured(options.measured, usable.loaded, terminal)) {
    return *refused;
  }
  std::vector<packing::TuneAdvice> advice;
  {
    ProgressBar bar(terminal, "tuning");
    packing::TuneOptions tuning;
    tuning.most_changes = options.most;
    tuning.progress = bar.sink();
    advice = packing::tune(usable.loaded.plan, tuning);
  }
  if (options.write > 0) return write_proposal(options, usable.loaded, advice, terminal);
  auto writer =
      print_results(options.output,
                    {"tune", [&] { return files::tune_json(usable.loaded, advice); },
                     [&](const Terminal& on) {
                       return tune_text(advice, on) + measured_text(usable.loaded.plan, on);
                     },
                     [&] { return std::vector<tables::Table>{tables::changes_table(advice)}; }},
                    terminal);
  return writer ? writer->finish() : exit_fine;
}

Action declare_tune(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<TuneOptions>();
  command.add_option("PLAN", options->plan, plan_help)->required();
  command.add_option("--most", options->most, "changes to show for each trouble")
      ->check(CLI::Range(std::size_t{1}, std::size_t{50}));
  command
      .add_option("--write", options->write,
                  "put the proposal of this number into the plan, and keep all else in it")
      ->check(CLI::Range(std::size_t{1}, std::size_t{100'000}))
      ->type_name("N");
  add_measured(command, options->measured);
  add_results(command, options->output, {csv_format});
  return [options, &terminal] { return run_tune(*options, terminal); };
}

}  // namespace greymet::cli
