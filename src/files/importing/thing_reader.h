// Register maps in W3C Thing Descriptions. Not for use outside this folder.
#pragma once

#include "files/map_import.h"

namespace greymet::files::internal {

// Every property with a form of the Modbus binding, as a row of a map; others are told.
[[nodiscard]] tl::expected<ImportedMap, FileError> import_thing(const std::string& content);

}  // namespace greymet::files::internal
