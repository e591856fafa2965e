// Small texts: durations, types, formats, selections of rules, hexadecimal bytes.
#include "checks/check.h"
#include "input.h"
#include "modbus/frame.h"
#include "modbus/value_readings.h"
#include "model/data_type.h"
#include "model/duration_text.h"
#include "model/serial_settings.h"

using namespace greymet;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text = fuzz::text_of(data, size);
  if (const auto duration = model::parse_duration(text)) {
    fuzz::require(model::parse_duration(model::to_text(*duration)) == *duration);
  }
  if (const auto type = model::data_type_from(text)) {
    fuzz::require(model::data_type_from(model::to_text(*type)) == type);
  }
  if (const auto format = model::character_format_from(text)) {
    fuzz::require(model::character_format_from(model::to_text(*format)) == format);
  }
  if (const auto bytes = modbus::from_hex(text)) {
    fuzz::require(*modbus::from_hex(modbus::to_hex(*bytes)) == *bytes);
  }
  if (const auto words = modbus::words_from_hex({text})) fuzz::require(!words->empty());
  (void)checks::parse_rule_selection(text);
  return 0;
}
