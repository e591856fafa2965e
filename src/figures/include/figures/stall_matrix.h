// The stall matrix: which silent slave makes whom wait longer than its period.
#pragma once

#include <string>
#include <vector>

#include "figures/gnuplot.h"

namespace greymet::model {
struct ResolvedPlan;
}

namespace greymet::timing {
struct TimingReport;
}

namespace greymet::figures {

// How a stall hurts another slave's quickest transaction.
enum class Harm : std::uint8_t {
  none,        // no stall is longer than its period; its own wait still comes on top
  first_only,  // the first stall is longer than its period, until the silent slave is parked
  every_time,  // so is every stall
};

// One silent slave (row) and one that waits for it (column).
struct MatrixCell {
  std::size_t row = 0;
  std::size_t column = 0;
  Harm harm = Harm::none;
  double periods = 0;  // the stall that hurts (the first where none does), in periods
};

// The figure as data, ready to be drawn or tested.
struct StallMatrix {
  std::string name;  // of the line or connection
  std::string title;
  std::string subtitle;
  std::vector<std::string> rows;  // silent slaves with their stalls, top first
  std::vector<std::string> columns;
  std::vector<MatrixCell> cells;
};

// One matrix for each line or connection on which slaves can wait for each other.
[[nodiscard]] std::vector<StallMatrix> stall_matrices(const model::ResolvedPlan& resolved,
                                                      const timing::TimingReport& report);

[[nodiscard]] std::string stall_matrix_script(const StallMatrix& matrix, PictureFormat format);

}  // namespace greymet::figures
