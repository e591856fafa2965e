// The text of a new plan, and of a slave that joins an existing one: commented TOML.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace greymet::files {

// A serial line of the new plan.
struct NewLine {
  std::string name;
  std::string mode = "rtu";
  std::int64_t baud = 19200;
  std::string format = "8E1";
};

// A slave on a line, or at a host.
struct NewSlave {
  std::string name;
  std::string line;  // empty: at `host`
  std::string host;
  std::int64_t port = 502;
  std::optional<std::int64_t> unit;
  std::string map;       // file beside the plan
  std::string map_from;  // what the map was made of; empty: an example
  std::optional<std::string> numbering;
  bool has_long_values = false;  // of several registers, in an order that the map does not state
  std::vector<std::string> assumed;   // keys of it that nothing confirms
  std::vector<std::string> words;     // points to read, in registers
  std::vector<std::string> bits;      // and in bit areas
  std::vector<std::string> writable;  // points of registers that its map lets be written
  bool all_readable = true;           // the map has no other points than these
};

// Another controller, at its address.
struct NewPeer {
  std::string name;
  std::string address;
};

// All that is known of a plan that is to be written.
struct NewPlan {
  std::string title;
  std::string controller;
  std::string period;
  std::vector<NewLine> lines;
  std::vector<NewSlave> slaves;
  std::vector<NewPeer> peers;
  std::string tags = {};  // file beside the plan with the drafted table of tags; empty: none
};

// With `wants` for what is to be read, still to be packed.
[[nodiscard]] std::string new_plan_text(const NewPlan& plan);
// `[slave.NAME]` and its keys.
[[nodiscard]] std::string new_slave_text(const NewSlave& slave);
// The plan with the slave behind all that it has; every byte of it stays.
[[nodiscard]] std::string with_new_slave(std::string_view plan, const NewSlave& slave);

// The plan with its transactions in a CSV file beside it, a column a key, and that file. Nothing
// where the plan has none, or one that a row of a table cannot say.
struct PlanWithTable {
  std::string plan;
  std::string csv;
};
[[nodiscard]] std::optional<PlanWithTable> with_table(std::string_view plan,
                                                      std::string_view file_name);

// A map to begin with, until the device's own takes its place: its headings, and no row.
[[nodiscard]] std::string empty_map();
// One to try things with.
[[nodiscard]] std::string example_map();

}  // namespace greymet::files
