// The transactions of a controller as data, for whatever carries them out. Not for use outside this
// folder.
#pragma once

#include <optional>

#include "iec_program.h"
#include "model/resolved_plan.h"

namespace greymet::exports {

// The whole of a controller's transactions as a constant, and the structure of its rows. What has a
// number is a number: areas of the controller's memory count from 1 in the order of the plan, 0
// is none.
struct TransactionTable {
  IecStruct type;
  IecVariable variable;
};
// Nothing for who is master of nothing.
[[nodiscard]] std::optional<TransactionTable> transaction_table(const model::ResolvedPlan& plan,
                                                                model::ControllerIndex controller);

// What is known of each while the program runs.
[[nodiscard]] IecStruct request_type();

}  // namespace greymet::exports
