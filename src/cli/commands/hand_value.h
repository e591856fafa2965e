// What one value by hand is: where it lies, how it is read, what it is written as, and who else
// writes it. Not for use outside this folder.
#pragma once

#include <optional>
#include <string>
#include <tl/expected.hpp>
#include <vector>

#include "cli/commands.h"
#include "files/plan_loader.h"
#include "live/hand.h"
#include "modbus/value_writing.h"

namespace greymet::cli::internal {

struct HandValue {
  live::HandBlock block;
  const model::Point* point = nullptr;  // of the slave's map; none for plain registers
  modbus::ValueForm form;
  std::optional<model::WordOrder> order;
  std::string where;  // "burner.setpoint", "device.hr:10"
  std::string unit;
};

// The plan that stands for a device of which there is none: TOML.
[[nodiscard]] tl::expected<std::string, std::string> plan_without_plan(const HandOptions& options);

// "slave.point", "slave.hr:10", "slave.40011"; without a plan the slave is left out. Fails with one
// line.
[[nodiscard]] tl::expected<HandValue, std::string> hand_value(const model::ResolvedPlan& plan,
                                                              const std::string& where,
                                                              const HandOptions& options);

// Words of the value as it is written; bits are words 0 and 1. Fails with one line, among others
// for an order that nobody states. Unless `force`, what the map says of the registers holds however
// they were named: points that are only read, ranges, and values that would be cut.
[[nodiscard]] tl::expected<std::vector<std::uint16_t>, std::string> words_to_write(
    const model::ResolvedPlan& plan, const HandValue& value, const modbus::WrittenValue& written,
    bool force);

// What was read, in every form that is plausible; one line each.
[[nodiscard]] std::vector<std::string> readings_of(const HandValue& value,
                                                   const std::vector<std::uint16_t>& words);
// The value alone: "17.4", or the words.
[[nodiscard]] std::string value_text(const HandValue& value,
                                     const std::vector<std::uint16_t>& words);

// What the map calls it; empty where it has no name.
[[nodiscard]] std::string value_name(const HandValue& value,
                                     const std::vector<std::uint16_t>& words);

// Transactions of the plan that write some of it: "burner-set of kiln writes it every 1s".
[[nodiscard]] std::vector<std::string> other_writers(const model::ResolvedPlan& plan,
                                                     const HandValue& value);

}  // namespace greymet::cli::internal
