// Asking one device and saying what it means for the plan. Not for use outside this folder.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "engine/probe_lines.h"
#include "hand_value.h"
#include "live/hand.h"
#include "model/resolved_plan.h"
#include "settled_lines.h"
#include "tables/probe_tables.h"

namespace greymet::cli::internal {

// What is to be found out about a slave.
struct ProbeWanted {
  std::optional<HandValue> value;   // these registers, and their neighbours
  std::optional<std::string> near;  // what the device's display shows of it
  bool functions = false;
  bool holes = false;
  bool longest = false;
  std::size_t times = 0;
  double share = 0.5;
};

// Of all slaves that were asked.
struct ProbeFound {
  std::vector<tables::ProbeRow> answers;
  std::vector<tables::ReadingRow> readings;
  SettledLines lines;
  std::vector<std::string> by_hand;
  std::vector<std::string> remarks;  // not settled, given up ...
  std::size_t requests = 0;
  bool answered = false;  // somebody said something that counts
  bool open = false;      // something that was asked for is not settled, or contradicts the plan
};

// Asks one slave. Fails with one line where its wire cannot be opened.
[[nodiscard]] tl::expected<void, live::LiveError> probe_slave(const model::ResolvedPlan& plan,
                                                              std::size_t slave,
                                                              const ProbeWanted& wanted,
                                                              const live::HandOptions& how,
                                                              ProbeFound& found);

// Which exchange the program of this controller was made of; it must have a word that tells it.
void probe_loaded_program(const model::ResolvedPlan& plan, std::size_t controller,
                          const live::HandOptions& how, ProbeFound& found);

// How many requests and connections at once a slave at a host, or behind a gateway, bears.
[[nodiscard]] tl::expected<void, live::LiveError> probe_at_once(const model::ResolvedPlan& plan,
                                                                std::size_t slave,
                                                                const live::HandOptions& how,
                                                                ProbeFound& found);

// Who answers of these units, on the wire of that slave: a read of register 0 each.
[[nodiscard]] tl::expected<void, live::LiveError> probe_units(
    const model::ResolvedPlan& plan, std::size_t slave, const std::vector<std::int64_t>& units,
    const live::HandOptions& how, ProbeFound& found);

// Settings of a serial line under which this slave answers: the usual ones, the most usual first,
// until it does.
[[nodiscard]] tl::expected<void, live::LiveError> probe_settings(const model::ResolvedPlan& plan,
                                                                 std::size_t slave,
                                                                 const live::HandOptions& how,
                                                                 ProbeFound& found);

}  // namespace greymet::cli::internal
