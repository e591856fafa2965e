// The families of rules. Each function appends its findings; none depends on another's.
#pragma once

#include <functional>
#include <stop_token>
#include <vector>

#include "model/finding.h"

namespace greymet::model {
struct ResolvedPlan;
}

namespace greymet::timing {
struct TimingReport;
}

namespace greymet::checks {

// Of a transaction, which of its halves ask for what no request can do.
struct WrongHalves {
  bool read = false;
  bool write = false;
  [[nodiscard]] bool any() const { return read || write; }
  [[nodiscard]] bool of(bool is_read) const { return is_read ? read : write; }
};

// What rules work on, and what they know of each other.
struct RuleInput {
  const model::ResolvedPlan& plan;
  // Per transaction: a half asks for more than one request can carry (F02, F06), or its function
  // and area disagree (F01): rules about its exact range would only repeat that.
  std::vector<WrongHalves> range_is_wrong = {};
  // Per slave: maps of the plan that fit all its blocks, where its own lists next to nothing of
  // them (R07). Its blocks are then not held against its own.
  std::vector<std::vector<std::size_t>> better_maps = {};
  // Of rules that need timing; null for the others.
  const timing::TimingReport* timing_report = nullptr;
  std::stop_token stop = {};
  // Of rules about assumptions: what rules of timing say of a plan that differs in its exchange
  // alone, after silencing and accepting; simulated for a short time. Null for the others.
  std::function<model::Findings(const model::ResolvedPlan&)> judge = {};
  bool patient = false;  // tries all assumptions, however large the plan

  [[nodiscard]] const timing::TimingReport& timing() const { return *timing_report; }
};

// What RuleInput::range_is_wrong says of this plan.
[[nodiscard]] std::vector<WrongHalves> wrong_ranges(const model::ResolvedPlan& plan);

// What RuleInput::better_maps says of this plan.
[[nodiscard]] std::vector<std::vector<std::size_t>> better_maps(
    const model::ResolvedPlan& plan, const std::vector<WrongHalves>& wrong_ranges);

void check_settings(const RuleInput& in, model::Findings& out);   // S
void check_network(const RuleInput& in, model::Findings& out);    // N01 to N04, N07 to N10, N12
void check_functions(const RuleInput& in, model::Findings& out);  // F01 to F08, F14
void check_addresses(const RuleInput& in, model::Findings& out);  // F09 to F13, F15, F16, M09, D04
void check_memory(const RuleInput& in, model::Findings& out);     // M01, M02, M06, M10, M12
void check_copies(const RuleInput& in, model::Findings& out);     // M11, M13, M14
void check_heartbeat_bits(const RuleInput& in, model::Findings& out);   // M06, H02, H10
void check_file_names(const RuleInput& in, model::Findings& out);       // P10
void check_odd_ones(const RuleInput& in, model::Findings& out);         // P11
void check_unused(const RuleInput& in, model::Findings& out);           // N13
void check_peer_words(const RuleInput& in, model::Findings& out);       // M15
void check_device_memory(const RuleInput& in, model::Findings& out);    // M04, M05
void check_packing(const RuleInput& in, model::Findings& out);          // M07, M08
void check_data(const RuleInput& in, model::Findings& out);             // D02, D05, D06
void check_maps(const RuleInput& in, model::Findings& out);             // R01 to R04, R08, D01
void check_map_use(const RuleInput& in, model::Findings& out);          // R06, R07, R09
void check_capabilities(const RuleInput& in, model::Findings& out);     // C
void check_tags(const RuleInput& in, model::Findings& out);             // V01 to V04
void check_tag_memory(const RuleInput& in, model::Findings& out);       // V03, V05 to V07
void check_on_loss(const RuleInput& in, model::Findings& out);          // H08
void check_meanings(const RuleInput& in, model::Findings& out);         // D07 to D09, H12
void check_idle_heartbeats(const RuleInput& in, model::Findings& out);  // H13
void check_constants(const RuleInput& in, model::Findings& out);        // D11
void check_references(const RuleInput& in, model::Findings& out);       // F17
void check_write_functions(const RuleInput& in, model::Findings& out);  // F18
void check_odd_losses(const RuleInput& in, model::Findings& out);       // H14
void check_scales(const RuleInput& in, model::Findings& out);           // T14

// Rules that need timing.
void check_connections(const RuleInput& in, model::Findings& out);  // N05, N06, N11
void check_times(const RuleInput& in, model::Findings& out);        // T01 to T03, T05, T07, T10
void check_stalls(const RuleInput& in, model::Findings& out);       // T04, T08, T09
void check_phases(const RuleInput& in, model::Findings& out);       // T06
void check_heartbeats(const RuleInput& in, model::Findings& out);   // H01 to H06, H09
void check_watchdogs(const RuleInput& in, model::Findings& out);    // H07, H11
void check_paths(const RuleInput& in, model::Findings& out);        // T11, T12
void check_tag_ages(const RuleInput& in, model::Findings& out);     // V08
void check_parking(const RuleInput& in, model::Findings& out);      // T13

// What they rest on.
void check_unconfirmed(const RuleInput& in, model::Findings& out);
void check_assumptions(const RuleInput& in, model::Findings& out);  // A

}  // namespace greymet::checks
