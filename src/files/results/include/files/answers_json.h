// JSON of the small calculations: explain, address, value, frame. docs/json.md lists the keys.
#pragma once

#include <string>
#include <vector>

#include "checks/catalogue.h"
#include "modbus/dissect.h"
#include "modbus/value_readings.h"
#include "model/address_lookup.h"
#include "timing/transaction_times.h"

namespace greymet::files {

[[nodiscard]] std::string rules_json(const std::vector<const checks::RuleEntry*>& entries);

// A text as the user gave it, with its answers.
struct AddressQuestion {
  std::string text;
  model::AddressAnswers found;
};
[[nodiscard]] std::string addresses_json(const std::vector<AddressQuestion>& questions);

[[nodiscard]] std::string value_json(const modbus::ValueQuestion& question,
                                     const std::vector<modbus::ValueReading>& readings);

// A point that a frame moves: where it is in the slave and in the controller.
struct FramePoint {
  std::string registers;  // "hr:0..hr:1"
  std::string manual;     // the first, as the manual of the slave prints it
  std::string name;
  std::string type;
  std::string unit;
  std::string memory;    // "%MW100..%MW101"; empty where it is not known
  std::string tag = {};  // of the program, that lies there
};

// Frames of one transaction, or pasted bytes. Empty bytes: there is no such frame.
struct FrameAnswer {
  std::string name;  // of the transaction; empty for pasted bytes
  modbus::Framing framing = modbus::Framing::rtu;
  std::string data;  // what its data are; of the plan's own frames
  modbus::Bytes request;
  modbus::Bytes reply;
  modbus::Dissection request_fields;
  modbus::Dissection reply_fields;
  std::optional<timing::TransactionTimes> times;
  std::vector<FramePoint> points;
  std::vector<std::string> transactions;  // of a plan, whose frame the pasted bytes may be
};
[[nodiscard]] std::string frames_json(const std::vector<FrameAnswer>& frames, bool only_one);

// "rtu", "ascii", "tcp"
[[nodiscard]] std::string_view mode_name(modbus::Framing framing);

}  // namespace greymet::files
