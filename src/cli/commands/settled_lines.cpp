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

std::size_t errors_of(const files::LoadedPlan& loaded) {
  return static_cast<std::size_t>(
      std::count_if(loaded.findings.begin(), loaded.findings.end(),
                    [](const model::Finding& f) { return f.severity == model::Severity::error; }));
}

bool says_the_same_otherwise(const files::LoadedPlan& before, const files::LoadedPlan& after) {
  return !after.unreadable && errors_of(after) <= errors_of(before) &&
         after.plan.plan.slaves.size() == before.plan.plan.slaves.size() &&
         after.plan.plan.transactions.size() == before.plan.plan.transactions.size();
}

// The keys of one table of the plan, of all slaves that it stands for.
struct TableKeys {
  std::size_t slave = 0;  // the first of them
  std::vector<engine::SettledKey> keys;
};

// Fails with the key on which slaves of one table differ.
tl::expected<std::vector<TableKeys>, std::string> by_table(const files::LoadedPlan& loaded,
                                                           const SettledLines& lines) {
  std::vector<TableKeys> tables;
  const auto& slaves = loaded.plan.plan.slaves;
  for (const auto& [slave, keys] : lines.keys) {
    auto table = std::find_if(tables.begin(), tables.end(), [&, at = slave](const TableKeys& t) {
      return slaves[t.slave].place == slaves[at].place;
    });
    if (table == tables.end()) {
      tables.push_back({slave, keys});
      continue;
    }
    for (const engine::SettledKey& each : keys) {
      const auto known =
          std::find_if(table->keys.begin(), table->keys.end(),
                       [&](const engine::SettledKey& k) { return k.key.key == each.key.key; });
      if (known == table->keys.end()) {
        table->keys.push_back(each);
      } else if (known->delay && each.delay) {
        known->delay->typical = std::max(known->delay->typical, each.delay->typical);
        known->delay->max = std::max(known->delay->max, each.delay->max);
        known->key.text = engine::delay_text(*known->delay);
      } else if (known->key.text != each.key.text) {
        return tl::unexpected(each.key.key);
      }
    }
  }
  return tables;
}

}  // namespace

void SettledLines::add(std::size_t slave, const std::string& name,
                       const engine::ProbeLines& lines) {
  std::vector<engine::SettledKey> of_slave;
  for (const engine::SettledKey& each : lines.keys) {
    rows.push_back({name, each.key.key, each.key.text, each.because,
                    each.contradicts ? State{"contradicts", Mood::bad}
                    : each.is_new    ? State{"new", Mood::good}
                                     : State{"as stated", Mood::soft}});
    if (each.is_new) of_slave.push_back(each);
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
  const auto tables = by_table(loaded, lines);
  if (!tables) {
    terminal.err << fmt::format(
        "greymet: slaves that are written once differ in `{}`: nothing is written\n",
        tables.error());
    return exit_findings;
  }
  model::Fix fix;
  fix.title = "what was measured";
  for (const TableKeys& table : *tables) {
    const model::Slave& slave = loaded.plan.plan.slaves[table.slave];
    std::vector<model::KeyText> texts;
    texts.reserve(table.keys.size());
    for (const engine::SettledKey& each : table.keys) {
      texts.push_back(each.key);
      // behind a line of its own there is room for when
      if (each.delay && !slave.reply) texts.back().text += fmt::format("  # measured {}", today());
    }
    fix.edits.push_back({slave.place, {}, model::EditKind::set_keys, std::move(texts)});
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
