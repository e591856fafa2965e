// Changing the text of a plan and leaving everything else in it as it is: comments, order, blanks.
#pragma once

#include <string>
#include <string_view>
#include <tl/expected.hpp>
#include <vector>

#include "model/transaction.h"

namespace greymet::files {

// The row of a transaction as `transactions` would hold it: `{ name = "...", ... }`. Writes what
// packing fills in: name, controller, slave, fc, at, count, into, packing, every, phase,
// phase_step, alone, on_loss.
[[nodiscard]] std::string transaction_row(const model::Transaction& transaction);

// Adds transactions behind those the plan has, in the spelling it uses (rows or blocks), and turns
// its wants into comments. The error is one line: a spelling that cannot be extended.
[[nodiscard]] tl::expected<std::string, std::string> with_packed_wants(
    std::string_view plan, const std::vector<model::Transaction>& transactions);

// True if the second plan says what the first one does, except that its wants are gone and these
// transactions stand behind all others. Compares every value of both.
[[nodiscard]] bool differs_only_by_packing(std::string_view before, std::string_view after,
                                           const std::vector<model::Transaction>& transactions);

}  // namespace greymet::files
