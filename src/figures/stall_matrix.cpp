#include "figures/stall_matrix.h"

#include <algorithm>
#include <array>
#include <map>

#include <fmt/format.h>

#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "timing/report.h"

namespace greymet::figures {

using model::to_ms;
using model::to_text;
using timing::Duration;

namespace {

struct HarmLook {
  Harm harm;
  std::string_view name;
  std::string_view style;
  std::string_view text_colour;
};

// Lightness and hatch differ as well as colour, so that it reads in grey.
constexpr std::array harm_looks{
    HarmLook{Harm::none, "shorter than its period",
             "lc rgb '#FFFFFF' fs solid 1.0 border lc rgb C_MUTE", "C_SUB"},
    HarmLook{Harm::first_only, "only the first stall is longer",
             "lc rgb C_RSP fs pattern 4 border lc rgb C_REQ", "C_TXT"},
    HarmLook{Harm::every_time, "every stall is longer",
             "lc rgb C_BAD fs solid 1.0 border lc rgb C_TXT", "C_TXT"},
};

// A slave that waits: its quickest cyclic job on each queue.
struct Victim {
  model::Target target;
  std::vector<timing::JobRef> quickest;
};

// Of a pool, in the order of their shortest periods.
std::vector<Victim> victims(const model::ResolvedPlan& resolved, const timing::TimingReport& report,
                            std::size_t pool) {
  std::vector<Victim> found;
  for (const timing::JobRef ref : report.stalls.cyclic[pool]) {
    const timing::Job& job = job_at(report.model, ref);
    const model::Target target = *resolved.transactions[job.transaction].target;
    auto known = std::find_if(found.begin(), found.end(),
                              [&](const Victim& each) { return each.target == target; });
    if (known == found.end()) known = found.insert(found.end(), {target, {}});
    const bool on_queue =
        std::any_of(known->quickest.begin(), known->quickest.end(),
                    [&](const timing::JobRef each) { return each.queue == ref.queue; });
    if (!on_queue) known->quickest.push_back(ref);
  }
  return found;
}

// The worst of what the victim's queues wait; nothing if they do not.
std::optional<MatrixCell> cell_of(const timing::TimingReport& report, const timing::Stall& stall,
                                  const Victim& victim) {
  std::optional<MatrixCell> worst;
  for (const timing::JobRef ref : victim.quickest) {
    const auto on =
        std::find_if(stall.queues.begin(), stall.queues.end(),
                     [&](const timing::StallOn& each) { return each.queue == ref.queue; });
    if (on == stall.queues.end()) continue;
    const Duration period = job_at(report.model, ref).period;
    MatrixCell cell;
    Duration shown = on->first;
    if (on->steady > period) {
      cell.harm = Harm::every_time;
      shown = on->steady;
    } else if (on->first > period) {
      cell.harm = Harm::first_only;
    }
    cell.periods = static_cast<double>(shown.count()) / static_cast<double>(period.count());
    if (!worst || std::pair(cell.harm, cell.periods) > std::pair(worst->harm, worst->periods)) {
      worst = cell;
    }
  }
  return worst;
}

}  // namespace

std::vector<StallMatrix> stall_matrices(const model::ResolvedPlan& resolved,
                                        const timing::TimingReport& report) {
  constexpr std::size_t most_slaves = 40;  // beyond it the labels cannot be read; the table has all
  std::map<std::size_t, std::vector<const timing::Stall*>> by_pool;
  for (const timing::Stall& stall : report.stalls.stalls) by_pool[stall.pool].push_back(&stall);
  std::vector<StallMatrix> matrices;
  for (const auto& [pool, stalls] : by_pool) {
    const auto columns = victims(resolved, report, pool);
    if (stalls.size() < 2 || columns.size() < 2) continue;
    StallMatrix matrix;
    matrix.name = report.model.queues[stalls.front()->failing.front().job.queue].name;
    matrix.title = fmt::format("Silent slaves on {}: who makes whom wait", matrix.name);
    for (const Victim& victim : columns) {
      if (matrix.columns.size() == most_slaves) break;
      matrix.columns.push_back(
          fmt::format("{}, {}", resolved.target_name(victim.target),
                      to_text(job_at(report.model, victim.quickest.front()).period)));
    }
    for (const timing::Stall* stall : stalls) {
      if (matrix.rows.size() == most_slaves) break;
      for (std::size_t c = 0; c < matrix.columns.size(); ++c) {
        if (columns[c].target == stall->silent) continue;
        auto cell = cell_of(report, *stall, columns[c]);
        if (!cell) continue;
        cell->row = matrix.rows.size();
        cell->column = c;
        matrix.cells.push_back(*cell);
      }
      matrix.rows.push_back(stall->park
                                ? fmt::format("{} ({:.0f}, then {:.0f} ms)",
                                              resolved.target_name(stall->silent),
                                              to_ms(stall->first), to_ms(stall->steady))
                                : fmt::format("{} ({:.0f} ms)", resolved.target_name(stall->silent),
                                              to_ms(stall->first)));
    }
    if (matrix.cells.empty()) continue;
    const auto hurt = std::count_if(matrix.cells.begin(), matrix.cells.end(),
                                    [](const auto& c) { return c.harm != Harm::none; });
    matrix.subtitle = fmt::format(
        "stall in periods of the quickest transaction of the slave that waits; longer in {} of {} "
        "pairs",
        hurt, matrix.cells.size());
    matrices.push_back(std::move(matrix));
  }
  return matrices;
}

std::string stall_matrix_script(const StallMatrix& matrix, PictureFormat format) {
  std::string s = common_look(format);
  const auto rows = static_cast<double>(matrix.rows.size());
  const auto columns = static_cast<double>(matrix.columns.size());
  const double label_size = std::clamp(320 / std::max(rows, columns), 8.0, 15.0);
  s += heading(matrix.title, matrix.subtitle, 0.235, format);
  s += fmt::format(
      "set label 3 'silent (its stalls)' at screen 0.225, screen 0.885 right font {} "
      "textcolor rgb C_SUB\n",
      font(format, 13));
  s += fmt::format("set xrange [0.4:{:g}]\nset yrange [0.4:{:g}]\nset ytics (", columns + 0.6,
                   rows + 0.6);
  for (std::size_t i = 0; i < matrix.rows.size(); ++i) {
    s += fmt::format("{}{} {:g}", i > 0 ? ", " : "", quoted_tic(matrix.rows[i]),
                     rows - static_cast<double>(i));
  }
  s += fmt::format(") scale 0 font {}\nset xtics rotate by -25 (", font(format, label_size));
  for (std::size_t i = 0; i < matrix.columns.size(); ++i) {
    s += fmt::format("{}{} {}", i > 0 ? ", " : "", quoted_tic(matrix.columns[i]), i + 1);
  }
  s += fmt::format(
      ") scale 0 font {}\nset xlabel 'slave that waits, and its shortest period' offset "
      "0,-0.6\n",
      font(format, label_size));
  s += "set lmargin at screen 0.235\nset rmargin at screen 0.945\nset tmargin at screen 0.87\nset "
       "bmargin at screen 0.245\nset key at screen 0.565, screen 0.035 center horizontal Left "
       "reverse "
       "samplen 1.8 width 1 maxrows 1\n";
  std::string plots;
  for (const HarmLook& look : harm_looks) {
    std::string data;
    for (const MatrixCell& cell : matrix.cells) {
      if (cell.harm != look.harm) continue;
      const double y = rows - static_cast<double>(cell.row);
      const auto x = static_cast<double>(cell.column + 1);
      data += fmt::format("{:g} {:g} {:g} {:g} {:g} {:g} {:.{}f}\n", x, y, x - 0.44, x + 0.44,
                          y - 0.40, y + 0.40, cell.periods, cell.periods < 10 ? 2 : 0);
    }
    if (data.empty()) continue;
    const auto number = static_cast<int>(look.harm);
    s += fmt::format("$harm{} << EOD\n{}EOD\n", number, data);
    plots += fmt::format(
        "{0}$harm{1} using 1:2:3:4:5:6 with boxxyerror {2} title '{3}', $harm{1} using "
        "1:2:(strcol(7)) with labels center font {4} textcolor rgb {5} notitle",
        plots.empty() ? "plot " : ", ", number, look.style, look.name, font(format, label_size),
        look.text_colour);
  }
  if (plots.empty()) plots = "plot NaN notitle";
  return s + plots + "\n";
}

}  // namespace greymet::figures
