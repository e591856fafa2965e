// The words that every family of rules speaks in. Not for use outside this folder.
#pragma once

#include <chrono>

#include "model/boundaries.h"
#include "model/duration_text.h"
#include "model/memory_use.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

using model::Area;
using model::BitRange;
using model::bits_per_word;
using model::DeviceBlock;
using model::Duration;
using model::Extent;
using model::Finding;
using model::Findings;
using model::in_ms;
using model::MemoryPurpose;
using model::MemoryUse;
using model::MoveKind;
using model::Point;
using model::Range;
using model::RegisterMap;
using model::ResolvedPlan;
using model::ResolvedTag;
using model::ResolvedTransaction;
using model::rounded_down;
using model::rounded_up;
using model::RuleCode;
using model::Severity;
using model::Tag;
using model::TagEnd;
using model::to_text;
using model::TriggerKind;
using model::TypeKind;
using model::ValuePlace;
using model::WordOrder;
using std::chrono::milliseconds;

}  // namespace greymet::checks
