// Where the wires of a plan end on this computer.
#pragma once

#include <map>
#include <string>

namespace greymet::live {

// What `serve` tells and `run` takes instead of the plan's own ports and hosts.
struct Endpoints {
  std::map<std::string, std::string> lines;  // line -> device
  std::map<std::string, std::string> tcp;    // "host:port" of the plan -> "address:port"
};

}  // namespace greymet::live
