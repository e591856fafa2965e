// The map of a device from its maker's table, as `new` takes it over. Not for use outside this
// folder.
#pragma once

#include <string>
#include <tl/expected.hpp>

#include "cli/commands.h"
#include "files/map_import.h"

namespace greymet::cli {

// What is wrong with an answer of --reading; empty if nothing is.
[[nodiscard]] std::string wrong_reading(const std::string& text);

// The map of a device in our form; what was taken for what is told, and what has to be answered
// first.
[[nodiscard]] tl::expected<files::ImportedMap, std::string> imported(const std::string& file,
                                                                     const std::string& slave,
                                                                     const NewOptions& options,
                                                                     const Terminal& terminal);

// What check says of the plan as it now is, in one line; false where an error is among it.
bool say_check(const std::string& plan, const Terminal& terminal);

// new --from TABLE --slave NAME --plan PLAN --update: a newer revision of the map of a slave.
[[nodiscard]] int update_map(const NewOptions& options, const Terminal& terminal);

}  // namespace greymet::cli
