#include "modbus/constant_words.h"

#include "modbus/value_writing.h"

namespace greymet::modbus {

using model::SentConstant;
using model::TypeKind;

tl::expected<RawValue, std::string> constant_raw(const SentConstant& constant) {
  const ValueForm form{constant.type, constant.factor, constant.offset, constant.min, constant.max};
  const auto written = value_to_write(constant.text, form);
  if (!written) return tl::unexpected(written.error());
  return written->raw;
}

tl::expected<std::vector<std::uint16_t>, std::string> constant_words(const SentConstant& constant,
                                                                     model::WordOrder order) {
  const auto raw = constant_raw(constant);
  if (!raw) return tl::unexpected(raw.error());
  if (constant.type.kind == TypeKind::boolean) {
    const unsigned set = std::get<bool>(*raw) ? 1U : 0U;
    return std::vector<std::uint16_t>{static_cast<std::uint16_t>(set << constant.bit.value_or(0))};
  }
  return encode_value(*raw, constant.type, order);
}

void put_constants(const model::ExchangeTransaction& t, Request& request) {
  for (const SentConstant& constant : t.constants) {
    const auto words = constant_words(constant, constant.order);
    if (!words) continue;
    for (std::size_t i = 0; i < words->size(); ++i) {
      const std::size_t at = constant.first + i;
      if (at < request.bits.size()) request.bits[at] = (*words)[i] != 0;
      if (at >= request.registers.size()) continue;
      const unsigned before = constant.bit ? request.registers[at] : 0U;
      request.registers[at] = static_cast<std::uint16_t>(before | (*words)[i]);
    }
  }
}

}  // namespace greymet::modbus
