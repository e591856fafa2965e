// The words of `new` on the command line: lines, slaves, peers. Not for use outside this folder.
#pragma once

#include <string>
#include <string_view>
#include <tl/expected.hpp>
#include <utility>
#include <vector>

#include "files/new_plan.h"

namespace greymet::cli {

// The error is one line about the command line, with what was expected and found.
template <class T>
using Read = tl::expected<T, std::string>;

// "NAME=REST" of --option.
[[nodiscard]] Read<std::pair<std::string, std::string>> named(const std::string& option,
                                                              const std::string& text,
                                                              std::string_view example);

// What is wrong with the name of a slave or controller; empty where nothing is.
[[nodiscard]] std::string wrong_name(const std::string& name);

// "north=rtu,19200,8E1"
[[nodiscard]] Read<files::NewLine> line_from(const std::string& text);

// "from-0", "from-1", "reference"
[[nodiscard]] bool is_numbering(std::string_view text);

// "burner=north,3[,MAP][,NUMBERING]" or "air=10.0.0.7[:502][,UNIT][,MAP][,NUMBERING]"; what is of
// the map comes back beside it.
struct SlaveOption {
  files::NewSlave slave;
  std::string map_file;   // empty where none is named
  std::string numbering;  // how its manual counts; empty where it is not said
};
// `lines`: those there are; what is none of them has to be a host.
[[nodiscard]] Read<SlaveOption> slave_from(const std::string& text,
                                           const std::vector<files::NewLine>& lines);

}  // namespace greymet::cli
