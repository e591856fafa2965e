// timing --why NAME: a bound, share by share.
#include <fmt/format.h>

#include "cli/print.h"
#include "cli/table_cells.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "timing/why.h"

namespace greymet::cli {
namespace {

using timing::BoundProof;
using timing::BoundShare;
using timing::Duration;
using timing::JobRef;
using timing::Why;

constexpr std::size_t most_rows = 200;

const std::string& name_of(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                           JobRef ref) {
  return plan.transaction_name(job_at(report.model, ref).transaction);
}

std::string what_text(const BoundShare& share, const std::string& name) {
  switch (share.kind) {
    case BoundShare::Kind::first_wait: return "until the first scan boundary";
    case BoundShare::Kind::begun: return name + ", has just begun";
    case BoundShare::Kind::other: return name;
    case BoundShare::Kind::own: return name + " itself";
    case BoundShare::Kind::ways: return "while all requests are on the network";
    case BoundShare::Kind::held: return "while all places are held";
    case BoundShare::Kind::foreign: return "requests of " + name;
    case BoundShare::Kind::elapsed: return "has passed by then";
  }
  return {};
}

std::string shares_text(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                        const std::vector<BoundShare>& shares) {
  std::string text;
  std::size_t rows = 0;
  for (const BoundShare& share : shares) {
    if (++rows > most_rows) {
      text += fmt::format("    and {} more\n", shares.size() - most_rows);
      break;
    }
    const std::string name =
        share.job     ? name_of(plan, report, *share.job)
        : share.queue ? plan.plan.controllers[report.model.queues[*share.queue].controller].name
                      : std::string();
    const std::string times = share.times > 1 ? fmt::format("{} x", share.times) : std::string();
    text += fmt::format("    {}{:>6}{}\n", name_cell(what_text(share, name), 36), times,
                        ms_cell(share.each, 11));
  }
  return text;
}

std::string_view proof_text(BoundProof proof) {
  switch (proof) {
    case BoundProof::any_phase: return "nothing tighter is proved for its phases";
    case BoundProof::busy_period: return "the worst busy period that the plan's releases can make";
    case BoundProof::simulation:
      return "the longest simulated: shorter durations only make it shorter, releases are fixed";
    case BoundProof::sums:
      return "the cyclic ones simulated alone, and as many triggers as fit into a busy period";
  }
  return {};
}

// What the longest simulated response waited for, on a time that begins with its release.
std::string schedule_text(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                          const Why& why, const Terminal& terminal) {
  if (!why.closest) return {};
  const Duration release = why.closest->release;
  std::string text = heading(
      terminal, fmt::format("what came closest: {}", model::in_ms(why.closest->end - release)),
      fmt::format("  simulated with longest durations; times from its release at {}",
                  model::to_text(release)));
  std::size_t rows = 0;
  for (const auto& [ref, service] : why.schedule) {
    if (++rows > most_rows) {
      text += fmt::format("    and {} more\n", why.schedule.size() - most_rows);
      break;
    }
    const bool own = ref == why.job && service.start == why.closest->start;
    const bool elsewhere = ref.queue != why.job.queue;
    text +=
        fmt::format("   {} to {}  {}{}\n", ms_cell(service.start - release, 9),
                    ms_cell(service.end - release, 9), shown(name_of(plan, report, ref)),
                    own         ? " itself"
                    : elsewhere ? fmt::format(" ({})", shown(report.model.queues[ref.queue].name))
                                : std::string());
  }
  return text + "\n";
}

}  // namespace

std::string why_text(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                     const Why& why, const Terminal& terminal) {
  const std::string name = shown(name_of(plan, report, why.job));
  const std::string line = shown(report.model.queues[why.job.queue].name);
  std::string text = fmt::format("{} on {} is answered within {}, counted from its release\n\n",
                                 name, line, model::in_ms(why.bound));
  if (why.proof != BoundProof::any_phase) {
    text += heading(terminal, fmt::format("in the plan's own phases: {}", model::in_ms(why.bound)),
                    fmt::format("  {}", proof_text(why.proof))) +
            shares_text(plan, report, why.in_phase_shares) + "\n";
  }
  const std::string columns =
      why.proof == BoundProof::any_phase ? std::string(proof_text(why.proof))
      : why.places > 1
          ? fmt::format("all but itself and the first wait shared by {} requests under way",
                        why.places)
          : std::string("each of the others may go first, once");
  text += heading(terminal, fmt::format("whatever the phases: {}", model::in_ms(why.any_phase)),
                  "  " + columns) +
          shares_text(plan, report, why.any_phase_shares) + "\n";
  return text + schedule_text(plan, report, why, terminal) +
         "All times in ms; with sends = \"scan\" each service but the last takes whole scans. "
         "Behind a\n"
         "gateway with several masters each holds what the others may put before it.\n";
}

}  // namespace greymet::cli
