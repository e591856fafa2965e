// Reading one member of a ZIP archive that lies in memory.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace greymet::files {

// Nothing where there is no such archive or member, or where it is larger than `most` unpacked.
[[nodiscard]] std::optional<std::string> zip_member(std::string_view archive,
                                                    const std::string& member, std::size_t most);

}  // namespace greymet::files
