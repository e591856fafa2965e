// Where a key of the plan belongs, for those who wrote it elsewhere. Not for use outside this
// folder.
#pragma once

#include <string>
#include <string_view>

namespace greymet::files::internal {

// "`baud` belongs to [line.NAME], or to `settings` of a slave", or nothing for a key of no table.
[[nodiscard]] std::string table_of_key(std::string_view key);

}  // namespace greymet::files::internal
