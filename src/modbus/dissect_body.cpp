#include "dissect_body.h"

#include "layout.h"

namespace greymet::modbus::internal {

using model::Area;
using model::FunctionCode;

namespace {

std::string address_text(Area area, unsigned offset) {
  const model::Address address{area, {static_cast<std::uint16_t>(offset)}};
  return fmt::format("{} = {} ({})", offset, to_text(address), reference6(address));
}

std::optional<unsigned> take_start(Walker& walk, Area area, std::string name) {
  const auto start = walk.take(2, std::move(name));
  if (start) walk.describe(address_text(area, *start));
  return start;
}

std::optional<unsigned> take_quantity(Walker& walk, Area area, std::string name) {
  const auto quantity = walk.take(2, std::move(name));
  if (!quantity) return std::nullopt;
  walk.describe(fmt::format("{} {}{}", *quantity, model::is_bit_area(area) ? "bit" : "register",
                            *quantity == 1 ? "" : "s"));
  if (*quantity == 0) walk.mark_wrong();
  return quantity;
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
               std::optional<unsigned> quantity) {
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

void take_coil(Walker& walk) {
  const auto value = walk.take(2, "value");
  if (!value) return;
  const bool known = *value == 0 || *value == coil_on;
  walk.describe(!known ? "neither FF00 (on) nor 0000 (off)" : *value == 0 ? "off" : "on");
  if (!known) walk.mark_wrong();
}

// The fields one after the other; `first` is the address of what a reply brings.
void walk_fields(Walker& walk, const FieldList& layout, FunctionCode function,
                 std::optional<unsigned> first) {
  const Area area = model::traits_of(function).area;
  std::optional<unsigned> quantity;
  for (const LayoutField& field : layout) {
    const std::string name(field.name);
    switch (field.part) {
      case Part::start:
      case Part::write_start: first = take_start(walk, area, name); break;
      case Part::read_quantity:
      case Part::write_quantity:
      case Part::echoed_quantity: quantity = take_quantity(walk, area, name); break;
      case Part::coil: take_coil(walk); break;
      case Part::value: take_registers(walk, area, 2, first); break;
      case Part::mask: walk.take(2, name); break;
      case Part::counted: take_data(walk, area, first, name, quantity); break;
    }
  }
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
  } else {
    const Layout& layout = layout_of(*function);
    walk_fields(walk, direction == Direction::request ? layout.request : layout.reply, *function,
                first ? std::optional<unsigned>(*first) : std::nullopt);
  }
  walk.rest("surplus");
}

}  // namespace greymet::modbus::internal
