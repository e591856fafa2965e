// The tables of what was measured: by a run against real devices, or by a rehearsal.
#pragma once

#include <vector>

#include "engine/rehearsal.h"
#include "engine/run_heartbeats.h"
#include "engine/run_watch.h"
#include "tables/table.h"

namespace greymet::tables {

// Columns of both: what a reader of a result has to know.
[[nodiscard]] std::vector<Column> measured_columns();
[[nodiscard]] std::vector<Column> faults_columns();

// One row a transaction, in list order.
[[nodiscard]] Table measured_table(const std::vector<engine::MeasuredTransaction>& transactions);

// Of a rehearsal: one row a fault, a block, a heartbeat, a watchdog that tripped.
[[nodiscard]] Table faults_table(const model::ResolvedPlan& plan,
                                 const std::vector<engine::RehearsedFault>& faults);
[[nodiscard]] Table blocks_table(const model::ResolvedPlan& plan,
                                 const std::vector<engine::RehearsedBlock>& blocks);
[[nodiscard]] Table rehearsed_heartbeats_table(
    const model::ResolvedPlan& plan, const std::vector<engine::RehearsedHeartbeat>& heartbeats);
[[nodiscard]] Table watchdogs_table(const model::ResolvedPlan& plan,
                                    const std::vector<engine::Field::Tripped>& watchdogs);

// Of a run: one row a slave that was asked.
[[nodiscard]] Table slaves_table(const model::ResolvedPlan& plan,
                                 const timing::TimingReport& report,
                                 const std::vector<engine::SlaveState>& slaves);

// Of a run: one row a line or connection that was used.
[[nodiscard]] Table wires_table(const timing::TimingReport& report,
                                const std::vector<engine::WireState>& wires);

// Of a run: one row a heartbeat.
[[nodiscard]] Table run_heartbeats_table(const model::ResolvedPlan& plan,
                                         const std::vector<engine::RunHeartbeat>& heartbeats);

// Of a run: one row a value that must be there; `results` are parallel.
[[nodiscard]] Table expected_table(const std::vector<engine::Expectation>& expected,
                                   const std::vector<engine::ExpectationResult>& results);

}  // namespace greymet::tables
