// Parts of a rehearsal. Not for use outside this folder.
#pragma once

#include "engine/rehearsal.h"

namespace greymet::engine::internal {

// The second act: changes the first and the last word of every block and looks whether they
// arrive, for as long as `patience`.
[[nodiscard]] std::vector<RehearsedBlock> rehearse_blocks(const model::ResolvedPlan& plan,
                                                          Stage& stage, Duration patience,
                                                          const Finished& finished);

// So long after a change every block has been carried that ever will be.
[[nodiscard]] Duration patience_of(const timing::TimingReport& report);

}  // namespace greymet::engine::internal
