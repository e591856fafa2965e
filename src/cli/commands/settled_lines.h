// What measuring has settled, as lines of the plan: shown, and put there. Not for use outside this
// folder.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "cli/terminal.h"
#include "engine/probe_lines.h"
#include "files/plan_loader.h"
#include "tables/probe_tables.h"
#include "timing/measured_facts.h"

namespace greymet::cli::internal {

struct SettledLines {
  std::vector<tables::PlanLineRow> rows;
  std::vector<std::pair<std::size_t, std::vector<engine::SettledKey>>> keys;  // to write, by slave

  void add(std::size_t slave, const std::string& name, const engine::ProbeLines& lines);
};

// A block for each slave, as it would stand in the plan, with what shows it.
[[nodiscard]] std::string lines_text(const SettledLines& lines, const Terminal& terminal);

// Puts the keys of each slave into its table. Of slaves that are written once the slowest reply
// counts; other keys on which they differ are refused. Nothing else moves, and it is written
// whatever it brings: it is so. Returns the exit status.
[[nodiscard]] int write_lines(const std::string& plan, const files::LoadedPlan& loaded,
                              const SettledLines& lines, const Terminal& terminal);

// The reply times that these durations show, as lines.
[[nodiscard]] SettledLines learned_replies(const files::LoadedPlan& loaded,
                                           const std::vector<timing::MeasuredDuration>& durations);
// Tells them, and puts them into the plan where `write` says so. exit_findings where nobody
// answered, or one contradicts what is stated.
[[nodiscard]] int tell_learned(const SettledLines& lines, const std::string& plan,
                               const files::LoadedPlan& loaded, bool write,
                               const Terminal& terminal);

}  // namespace greymet::cli::internal
