// Where long work reports how far it is.
#pragma once

#include <functional>

namespace greymet::timing {

// Takes 0..1. Called from the working thread.
using ProgressSink = std::function<void(double)>;

}  // namespace greymet::timing
