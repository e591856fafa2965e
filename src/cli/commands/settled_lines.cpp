#include "settled_lines.h"

#include <algorithm>
#include <chrono>
#include <ctime>

#include <fmt/chrono.h>
#include <fmt/format.h>

#include "cli/print.h"
#include "cli/rewrite.h"
#include "files/cures.h"
#include "files/file_source.h"
#include "new_map.h"

namespace greymet::cli::internal {

using tables::Mood;
using tables::State;

namespace {

std::string today() {
  const std::time_t now = std::chrono::system_clock::to_time_t(std::chrono::system_clock::now());
  return fmt::format("{:%Y-%m-%d}", fmt::gmtime(now));
}

bool says_the_same_otherwise(const files::LoadedPlan& before, const files::LoadedPlan& after) {
  return !after.unreadable && after.plan.plan.slaves.size() == before.plan.plan.slaves.size() &&
         after.plan.plan.transactions.size() == before.plan.plan.transactions.size();
}

}  // namespace

void SettledLines::add(std::size_t slave, const std::string& name,
                       const engine::ProbeLines& lines) {
  std::vector<model::KeyText> of_slave;
  for (const engine::SettledKey& each : lines.keys) {
    rows.push_back({name, each.key.key, each.key.text, each.because,
                    each.contradicts ? State{"contradicts", Mood::bad}
                    : each.is_new    ? State{"new", Mood::good}
                                     : State{"as stated", Mood::soft}});
    if (each.is_new) of_slave.push_back(each.key);
  }
  if (!of_slave.empty()) keys.emplace_back(slave, std::move(of_slave));
}

std::string lines_text(const SettledLines& lines, const Terminal& terminal) {
  std::string text;
  std::string slave;
  for (const tables::PlanLineRow& row : lines.rows) {
    if (row.slave != slave) {
      slave = row.slave;
      text += fmt::format("\n{}\n", tinted(terminal, Tint::bold, "[slave." + shown(slave) + "]"));
    }
    text += fmt::format("  {:<44} # {}: {}\n", row.key + " = " + row.value, row.verdict.word,
                        shown(row.because));
  }
  return text;
}

int write_lines(const std::string& plan, const files::LoadedPlan& loaded, const SettledLines& lines,
                const Terminal& terminal) {
  if (lines.keys.empty()) {
    terminal.out << "nothing new is settled: the plan stays as it is\n";
    return exit_fine;
  }
  model::Fix fix;
  fix.title = "what was measured";
  for (const auto& [slave, keys] : lines.keys) {
    std::vector<model::KeyText> dated = keys;
    for (model::KeyText& each : dated) {
      // behind a line of its own there is room for when and how
      const bool is_new_line = each.key == "reply" && !loaded.plan.plan.slaves[slave].reply;
      if (is_new_line) each.text += fmt::format("  # measured {}", today());
    }
    fix.edits.push_back(
        {loaded.plan.plan.slaves[slave].place, {}, model::EditKind::set_keys, dated});
  }
  const auto edits = files::text_edits(loaded, fix);
  if (!edits || edits->empty()) {
    terminal.err << "greymet: the plan is written in a way that this cannot be put into: write the "
                    "lines by hand\n";
    return exit_findings;
  }
  const std::string& before = loaded.sources.front().text;
  const std::string after = files::edited(before, *edits);
  const auto again =
      files::load_plan(plan, files::with_texts(files::disk_files(), {{plan, after}}));
  if (!says_the_same_otherwise(loaded, again)) {
    terminal.err << "greymet: nothing is written: the plan would not be read as it is now\n";
    return exit_findings;
  }
  const std::vector<files::ChangedFile> changed{{plan, before, after}};
  print_changes(changed, terminal);
  if (const int status = write_files(plan, changed, terminal); status != exit_fine) return status;
  (void)say_check(plan, terminal);
  return exit_fine;
}

SettledLines learned_replies(const files::LoadedPlan& loaded,
                             const std::vector<timing::MeasuredDuration>& durations) {
  SettledLines lines;
  for (const timing::MeasuredReply& each : timing::measured_replies(loaded.plan, durations)) {
    engine::PlanLines of_slave(loaded.plan, each.slave);
    of_slave.add_reply(each.reply, each.answers);
    lines.add(each.slave, loaded.plan.plan.slaves[each.slave].name, of_slave.take());
  }
  return lines;
}

int tell_learned(const SettledLines& lines, const std::string& plan,
                 const files::LoadedPlan& loaded, bool write, const Terminal& terminal) {
  if (lines.rows.empty()) {
    terminal.out << "no slave answered: there is nothing to learn\n";
    return exit_findings;
  }
  terminal.out << lines_text(lines, terminal);
  const int status = write ? write_lines(plan, loaded, lines, terminal) : int{exit_fine};
  const bool contradicts = std::any_of(lines.rows.begin(), lines.rows.end(), [](const auto& row) {
    return row.verdict.mood == Mood::bad;
  });
  return contradicts ? std::max(status, int{exit_findings}) : status;
}

}  // namespace greymet::cli::internal
