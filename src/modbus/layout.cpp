#include "layout.h"

namespace greymet::modbus::internal {
namespace {

using model::FunctionCode;

constexpr LayoutField start{Part::start, "start"};
constexpr LayoutField read_quantity{Part::read_quantity, "quantity"};
constexpr LayoutField write_quantity{Part::write_quantity, "quantity"};
constexpr LayoutField echoed_quantity{Part::echoed_quantity, "quantity"};
constexpr LayoutField coil{Part::coil, "value"};
constexpr LayoutField value{Part::value, "value"};
constexpr LayoutField and_mask{Part::mask, "AND mask"};
constexpr LayoutField or_mask{Part::mask, "OR mask"};
constexpr LayoutField counted{Part::counted, "byte count"};

constexpr std::array layouts{
    Layout{FunctionCode::read_coils, {start, read_quantity}, {counted}},
    Layout{FunctionCode::read_discrete_inputs, {start, read_quantity}, {counted}},
    Layout{FunctionCode::read_holding_registers, {start, read_quantity}, {counted}},
    Layout{FunctionCode::read_input_registers, {start, read_quantity}, {counted}},
    Layout{FunctionCode::write_single_coil, {start, coil}, {start, coil}},
    Layout{FunctionCode::write_single_register, {start, value}, {start, value}},
    Layout{FunctionCode::write_multiple_coils,
           {start, write_quantity, counted},
           {start, echoed_quantity}},
    Layout{FunctionCode::write_multiple_registers,
           {start, write_quantity, counted},
           {start, echoed_quantity}},
    Layout{
        FunctionCode::mask_write_register, {start, and_mask, or_mask}, {start, and_mask, or_mask}},
    Layout{FunctionCode::read_write_multiple_registers,
           {{Part::start, "read start"},
            {Part::read_quantity, "read quantity"},
            {Part::write_start, "write start"},
            {Part::write_quantity, "write quantity"},
            counted},
           {counted}},
};

}  // namespace

const Layout& layout_of(FunctionCode code) {
  for (const Layout& layout : layouts) {
    if (layout.code == code) return layout;
  }
  return layouts.front();  // every enumerator has its row: see pdu_test
}

}  // namespace greymet::modbus::internal
