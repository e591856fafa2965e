// The columns of register maps, and what other tables call them. Not for use outside this folder.
#pragma once

#include "files/table_rows.h"

namespace greymet::files::internal {

// Lives as long as the program.
[[nodiscard]] const TableColumns& map_columns();

}  // namespace greymet::files::internal
