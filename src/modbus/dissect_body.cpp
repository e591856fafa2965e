#include "dissect_body.h"

namespace greymet::modbus::internal {

using model::Area;
using model::FunctionCode;

namespace {

constexpr std::uint8_t exception_flag = 0x80;

std::string address_text(Area area, unsigned offset) {
  const model::Address address{area, {static_cast<std::uint16_t>(offset)}};
  return fmt::format("{} = {} ({})", offset, to_text(address), reference6(address));
}

void take_start(Walker& walk, Area area, std::string name) {
  const auto start = walk.take(2, std::move(name));
  if (start) walk.describe(address_text(area, *start));
}

void take_quantity(Walker& walk, Area area, std::string name) {
  const auto quantity = walk.take(2, std::move(name));
  if (!quantity) return;
  walk.describe(fmt::format("{} {}{}", *quantity, model::is_bit_area(area) ? "bit" : "register",
                            *quantity == 1 ? "" : "s"));
  if (*quantity == 0) walk.mark_wrong();
}

void take_registers(Walker& walk, Area area, std::size_t bytes, std::optional<unsigned> first) {
  for (std::size_t i = 0; i < bytes && walk.left() > 0; i += 2) {
    const auto offset = first ? std::optional(*first + static_cast<unsigned>(i / 2)) : std::nullopt;
    std::string name = offset ? fmt::format("{}:{}", short_name(area), *offset)
                              : fmt::format("register {}", i / 2 + 1);
    const auto value = walk.take(std::min<std::size_t>(2, bytes - i), std::move(name));
    if (!value) continue;
    const auto signed_value = static_cast<std::int16_t>(*value);
    walk.describe(signed_value < 0 ? fmt::format("{} (signed {})", *value, signed_value)
                                   : fmt::format("{}", *value));
  }
}

void take_bits(Walker& walk, Area area, std::size_t bytes, std::optional<unsigned> first,
               std::optional<unsigned> quantity) {
  for (std::size_t i = 0; i < bytes && walk.left() > 0; ++i) {
    const auto from = static_cast<unsigned>(8 * i);
    const unsigned end = std::min(from + 8, quantity.value_or(from + 8));
    std::string name = first ? fmt::format("{0}:{1}..{0}:{2}", short_name(area), *first + from,
                                           *first + std::max(end, from + 1) - 1)
                             : fmt::format("bits {} to {}", from + 1, from + 8);
    const auto value = walk.take(1, std::move(name));
    if (value) walk.describe(fmt::format("{:08b}, the first is rightmost", *value));
  }
}

void take_data(Walker& walk, Area area, std::optional<unsigned> first, std::string name,
               std::optional<unsigned> quantity = std::nullopt) {
  const auto count = walk.take(1, std::move(name));
  if (!count) return;
  if (*count == 0 || *count != walk.left()) {
    walk.describe(fmt::format("{} announced, {} there", *count, walk.left()));
    walk.mark_wrong();
  }
  if (model::is_bit_area(area)) {
    take_bits(walk, area, *count, first, quantity);
  } else {
    take_registers(walk, area, *count, first);
  }
}

std::optional<unsigned> last_number(const std::vector<Field>& fields, std::string_view name) {
  for (const Field& field : fields) {
    if (field.name == name && field.bytes.size() == 2) return value_of(field.bytes);
  }
  return std::nullopt;
}

void take_coil(Walker& walk) {
  const auto value = walk.take(2, "value");
  if (!value) return;
  const bool known = *value == 0 || *value == 0xFF00;
  walk.describe(!known ? "neither FF00 (on) nor 0000 (off)" : *value == 0 ? "off" : "on");
  if (!known) walk.mark_wrong();
}

void walk_request(Walker& walk, FunctionCode function, const std::vector<Field>& fields) {
  const Area area = model::traits_of(function).area;
  const bool both = function == FunctionCode::read_write_multiple_registers;
  take_start(walk, area, both ? "read start" : "start");
  switch (function) {
    case FunctionCode::read_coils:
    case FunctionCode::read_discrete_inputs:
    case FunctionCode::read_holding_registers:
    case FunctionCode::read_input_registers: take_quantity(walk, area, "quantity"); break;
    case FunctionCode::write_single_coil: take_coil(walk); break;
    case FunctionCode::write_single_register:
      take_registers(walk, area, 2, last_number(fields, "start"));
      break;
    case FunctionCode::write_multiple_coils:
    case FunctionCode::write_multiple_registers:
      take_quantity(walk, area, "quantity");
      take_data(walk, area, last_number(fields, "start"), "byte count",
                last_number(fields, "quantity"));
      break;
    case FunctionCode::mask_write_register:
      walk.take(2, "AND mask");
      walk.take(2, "OR mask");
      break;
    case FunctionCode::read_write_multiple_registers:
      take_quantity(walk, area, "read quantity");
      take_start(walk, area, "write start");
      take_quantity(walk, area, "write quantity");
      take_data(walk, area, last_number(fields, "write start"), "byte count");
      break;
  }
}

void walk_reply(Walker& walk, FunctionCode function, std::optional<std::uint16_t> first,
                const std::vector<Field>& fields) {
  const Area area = model::traits_of(function).area;
  if (model::reads(function)) {
    take_data(walk, area, first ? std::optional<unsigned>(*first) : std::nullopt, "byte count");
    return;
  }
  if (function == FunctionCode::write_multiple_coils ||
      function == FunctionCode::write_multiple_registers) {
    take_start(walk, area, "start");
    take_quantity(walk, area, "quantity");
    return;
  }
  walk_request(walk, function, fields);  // 5, 6 and 22 are echoed
}

}  // namespace

void walk_body(ByteView body, Direction direction, std::optional<std::uint16_t> first,
               std::vector<Field>& fields) {
  Walker walk(body, fields);
  walk.take(1, "unit");
  const auto code = walk.take(1, "function");
  if (!code) return;
  const bool exception = direction == Direction::reply && (*code & exception_flag) != 0;
  const unsigned number = exception ? *code & ~unsigned{exception_flag} : *code;
  const auto function = model::function_code_from(number);
  const std::string name =
      function ? std::string(model::traits_of(*function).name) : "no function that moves registers";
  walk.describe(exception ? fmt::format("{} + 128: exception to {}", number, name)
                          : fmt::format("{}, {}", number, name));
  if (exception) {
    const auto reason = walk.take(1, "exception");
    if (reason) {
      walk.describe(
          fmt::format("{:02X}, {}", *reason, exception_name(static_cast<std::uint8_t>(*reason))));
    }
  } else if (!function) {
    walk.mark_wrong();
    if (walk.left() > 0) walk.take(walk.left(), "data", false);
  } else if (direction == Direction::request) {
    walk_request(walk, *function, fields);
  } else {
    walk_reply(walk, *function, first, fields);
  }
  walk.rest("surplus");
}

std::optional<std::size_t> expected_body(ByteView body, Direction direction) {
  if (body.size() < 2) return std::nullopt;
  const unsigned code = std::to_integer<unsigned>(body[1]);
  constexpr std::size_t exception_body = 3;
  if (direction == Direction::reply && (code & exception_flag) != 0) return exception_body;
  const auto function = model::function_code_from(code);
  if (!function) return std::nullopt;
  const auto with_count = [&](std::size_t at) -> std::optional<std::size_t> {
    if (body.size() <= at) return std::nullopt;
    return at + 1 + std::to_integer<std::size_t>(body[at]);
  };
  constexpr std::size_t count_of_reply = 2;
  constexpr std::size_t count_of_write = 6;
  constexpr std::size_t count_of_both = 10;
  constexpr std::size_t two_words = 6;
  constexpr std::size_t three_words = 8;
  if (direction == Direction::reply && model::reads(*function)) return with_count(count_of_reply);
  if (*function == FunctionCode::mask_write_register) return three_words;
  if (direction == Direction::reply) return two_words;
  if (*function == FunctionCode::read_write_multiple_registers) return with_count(count_of_both);
  const bool multiple = *function == FunctionCode::write_multiple_coils ||
                        *function == FunctionCode::write_multiple_registers;
  return multiple ? with_count(count_of_write) : two_words;
}

}  // namespace greymet::modbus::internal
