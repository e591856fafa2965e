// Rows of slaves that are written once: one row for each slave.
//
// What a row names of memory lies further on for the next slave: by the step that is written
// ("%MW100+20"), else
//   into, from     as much as the row moves, so that the slaves lie side by side
//   status         as much as the status places of all rows of these slaves take in that area
//   on, only_if    nothing: one bit for all
//   end of a path  as the row that brings or takes the value there
// and of a slave that states its `offset`, by that. A phase lies `phase_step` further on.
#pragma once

#include <optional>
#include <vector>

#include "model/finding.h"
#include "model/plan.h"

namespace greymet::model {

struct ResolvedPlan;

// The plan with a row for each slave where one is written for several, paths, wants and accepts
// alike; `written_as` tells what is written for each. A want of several slaves, or of a pattern of
// names ("fan*"), becomes one of each slave. A plan without slaves that are alike stays as it is.
// Reports P05 for steps where nothing repeats.
[[nodiscard]] Plan unfold_alike(Plan plan, Findings& findings);

// Rows of the file with the transactions that each stands for, by their index, in list order.
[[nodiscard]] std::vector<std::vector<std::size_t>> rows_written(const Plan& plan);

// Phases of the transactions of one row, as the file can say them: `phase`, and where there are
// several `phase_step` as far as the first two lie apart.
struct RowPhases {
  Duration phase{};
  std::optional<Duration> step;
  bool exact = true;  // all of them lie so
};
[[nodiscard]] RowPhases phases_of_row(const std::vector<Duration>& phases);

// What differs in phases, row by row: "fan-in phase_step = \"70ms\"".
[[nodiscard]] std::vector<std::string> phase_texts(const Plan& before, const Plan& after);

// The other way: rows that slaves which are alike have alike, at places of equal steps, as one row;
// all others as they are, `alone` where their slave's name means several.
[[nodiscard]] std::vector<Transaction> fold_alike(const ResolvedPlan& resolved,
                                                  const std::vector<Transaction>& rows);

}  // namespace greymet::model
