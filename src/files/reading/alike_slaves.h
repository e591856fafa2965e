// Slaves that are written once, as tables of their own: before anything is read of them.
#pragma once

#include <vector>

#include "files/value_tree.h"
#include "model/alike.h"
#include "model/finding.h"

namespace greymet::files::internal {

// [slave.*] with a table for each slave: `count` times one, its unit or host counted on; and with
// what `like` takes over from another. The keys of being alike are gone; what cannot be had of them
// is reported. Groups come in the order of their first slave.
void unfold_slaves(Value& slaves, std::vector<model::AlikeSlaves>& groups,
                   model::Findings& findings);

}  // namespace greymet::files::internal
