// Tags of one program that stand in several files. Not for use outside this folder.
#pragma once

#include "model/finding.h"
#include "model/tag.h"

namespace greymet::files::internal {

// Puts the tags of a further file behind those there are. A name that is there already is reported
// (P04) and left out; the same variable declared once more, at the same address and with the same
// type, is no mistake.
void add_tags(model::TagTable& table, model::TagTable further, const model::Subject& subject,
              model::Findings& findings);

}  // namespace greymet::files::internal
