#include "hand_value.h"

#include <algorithm>
#include <cmath>
#include <span>

#include <fmt/format.h>

#include "engine/expected_values.h"
#include "engine/point_values.h"
#include "modbus/value_readings.h"
#include "model/duration_text.h"
#include "model/nearest_name.h"
#include "model/resolved_plan.h"
#include "model/toml_text.h"

namespace greymet::cli::internal {

using model::Area;
using model::TypeKind;

namespace {

constexpr std::uint32_t most_registers = 125;

bool is_one_of(std::string_view word, std::initializer_list<std::string_view> words) {
  return std::find(words.begin(), words.end(), word) != words.end();
}

// The order of a value's words: what was said, else the point's.
tl::expected<std::optional<model::WordOrder>, std::string> order_of(const std::string& text) {
  if (text.empty()) return std::optional<model::WordOrder>();
  const auto order = model::word_order_from(text);
  if (!order) {
    return tl::unexpected(fmt::format(
        "'{}' is no order of words; write --order ABCD, CDAB, BADC or DCBA", text.substr(0, 40)));
  }
  return order;
}

tl::expected<HandValue, std::string> at_address(const model::ResolvedPlan& plan, std::size_t slave,
                                                const std::string& text) {
  const auto reading =
      model::read_address({text, false}, plan.numbering_of(model::Target{false, slave, 0}));
  if (!reading || !reading->area || reading->bit) {
    return tl::unexpected(fmt::format(
        "'{}' is no address with its area; write e.g. hr:10, ir:0, co:3, or a reference as 40011",
        text.substr(0, 40)));
  }
  if (reading->offset < 0 || reading->offset >= model::addresses_per_area) {
    return tl::unexpected(fmt::format("'{}' lies outside 0 to 65535", text.substr(0, 40)));
  }
  HandValue out;
  out.block.slave = slave;
  out.block.area = *reading->area;
  out.block.first = static_cast<std::uint32_t>(reading->offset);
  out.form.type = {is_bit_area(out.block.area) ? TypeKind::boolean : TypeKind::u16, 0};
  return out;
}

}  // namespace

tl::expected<std::string, std::string> plan_without_plan(const HandOptions& options) {
  const bool device = options.at.find('/') != std::string::npos;
  const std::string mode = options.mode.empty() ? (device ? "rtu" : "tcp") : options.mode;
  if (!is_one_of(mode, {"rtu", "ascii", "tcp"}) || (mode == "tcp") == device) {
    return tl::unexpected(std::string(device ? "a serial device takes --mode rtu or ascii"
                                             : "a host takes --mode tcp"));
  }
  if (device && options.unit == HandOptions().unit) {
    return tl::unexpected(std::string("on a serial line the slave's --unit is needed, 1 to 247"));
  }
  std::string text =
      "[controller.hand]\nscan = \"1ms\"\n[controller.hand.memory]\n"
      "\"%W\" = { kind = \"word\", count = 1 }\n";
  if (device) {
    text += fmt::format(
        "[line.wire]\nmaster = \"hand\"\nport = {}\nmode = {}\nbaud = {}\nformat = {}\n"
        "timeout = {}\nretries = 0\n[slave.device]\nline = \"wire\"\nunit = {}\n",
        model::toml_string(options.at), model::toml_string(mode), options.baud,
        model::toml_string(options.format), model::toml_string(options.timeout), options.unit);
    return text;
  }
  const std::size_t colon = options.at.rfind(':');
  const std::string host = options.at.substr(0, colon);
  if (host.find(':') != std::string::npos) {
    return tl::unexpected(std::string("--at takes a name or four numbers: host or host:port"));
  }
  const std::string port = colon == std::string::npos ? "502" : options.at.substr(colon + 1);
  const bool digits =
      !port.empty() && port.size() < 6 &&
      std::all_of(port.begin(), port.end(), [](char c) { return c >= '0' && c <= '9'; });
  if (!digits) {
    return tl::unexpected(fmt::format("'{}' is no port", port.substr(0, 20)));
  }
  text += fmt::format(
      "[slave.device]\nhost = {}\nport = {}\nunit = {}\ntimeout = {}\nretries = 0\n",
      model::toml_string(host), std::stoi(port), options.unit, model::toml_string(options.timeout));
  return text;
}

tl::expected<HandValue, std::string> hand_value(const model::ResolvedPlan& plan,
                                                const std::string& where,
                                                const HandOptions& options) {
  const bool without_plan = !options.at.empty();
  const std::size_t dot = without_plan ? std::string::npos : where.find('.');
  const std::string owner = without_plan ? "device" : where.substr(0, dot);
  const std::string rest = without_plan               ? where
                           : dot == std::string::npos ? std::string()
                                                      : where.substr(dot + 1);
  const auto& slaves = plan.plan.slaves;
  const auto slave = std::find_if(slaves.begin(), slaves.end(),
                                  [&](const auto& each) { return each.name == owner; });
  std::vector<std::string_view> known;
  if (slave == slaves.end()) {
    for (const auto& each : slaves) known.emplace_back(each.name);
    return tl::unexpected(fmt::format("the plan has no slave '{}'{}", owner.substr(0, 60),
                                      model::nearest_or_example(owner, known)));
  }
  if (rest.empty()) {
    return tl::unexpected(
        fmt::format("'{}' names a slave; write {}.POINT, or {}.hr:10", owner, owner, owner));
  }
  const auto index = static_cast<std::size_t>(slave - slaves.begin());
  const model::RegisterMap* map = plan.map_of({false, index, 0});
  const model::Point* point = map == nullptr ? nullptr : map->find(rest);
  HandValue out;
  if (point != nullptr) {
    const model::Extent extent = extent_of(*point);
    out.block = {index, point->address.area, extent.first, extent.end - extent.first, false};
    out.point = point;
    out.form = {point->type, point->factor, point->offset, point->min, point->max};
    out.order = plan.order_of(index, *point);
    out.unit = point->unit;
  } else {
    auto at = at_address(plan, index, rest);
    if (!at) {
      if (map != nullptr && rest.find(':') == std::string::npos) {
        for (const model::Point& each : map->points()) known.emplace_back(each.name);
        return tl::unexpected(fmt::format("slave {} has no point '{}'{}", owner, rest.substr(0, 60),
                                          model::nearest_or_example(rest, known)));
      }
      return at;
    }
    out = *at;
  }
  out.where = without_plan ? rest : where;
  if (!options.type.empty()) {
    const auto type = model::data_type_from(options.type);
    if (!type || (is_bit_area(out.block.area) != (type->kind == TypeKind::boolean) &&
                  is_bit_area(out.block.area))) {
      return tl::unexpected(fmt::format("'{}' is no type of this value; write e.g. --type f32",
                                        options.type.substr(0, 40)));
    }
    out.form.type = *type;
    if (!is_bit_area(out.block.area)) out.block.count = registers_of(*type);
  }
  const auto order = order_of(options.order);
  if (!order) return tl::unexpected(order.error());
  if (*order) out.order = *order;
  if (options.count > 0) out.block.count = static_cast<std::uint32_t>(options.count);
  const std::uint32_t most = is_bit_area(out.block.area) ? 2000 : most_registers;
  if (options.count < 0 || out.block.count > most ||
      out.block.first + out.block.count > model::addresses_per_area) {
    return tl::unexpected(fmt::format("one request reads 1 to {} of them, up to 65535", most));
  }
  return out;
}

namespace {

// What the map has against these words at these registers; empty for nothing.
std::string objection(const model::ResolvedPlan& plan, const HandValue& value,
                      const std::vector<std::uint16_t>& words) {
  const model::RegisterMap* map = plan.map_of({false, value.block.slave, 0});
  if (map == nullptr) return {};
  const model::Extent own{value.block.first, value.block.first + value.block.count};
  for (const model::Point* point : map->points_touching(value.block.area, own)) {
    if (point->access == model::Access::read) {
      return fmt::format("the map says that '{}' can only be read", point->name);
    }
    const model::Extent extent = extent_of(*point);
    if (extent.first < own.first || own.end < extent.end) {
      return fmt::format("it would write a part of '{}' ({})", point->name, to_text(point->type));
    }
    if (is_bit_area(value.block.area) || (!point->min && !point->max)) continue;
    const auto order = plan.order_of(value.block.slave, *point);
    const std::span<const std::uint16_t> part(words.data() + (extent.first - own.first),
                                              extent.end - extent.first);
    if (part.size() > 1 && !order) continue;  // what it would be nobody knows
    const auto raw = modbus::decode_value(part, point->type, order.value_or(model::WordOrder::abcd),
                                          point->bit.value_or(0));
    const auto number = raw ? modbus::engineering_value(*raw, *point) : std::nullopt;
    if (!number) continue;
    const bool in_range =
        (!point->min || *number >= *point->min) && (!point->max || *number <= *point->max);
    if (!in_range) {
      return fmt::format("'{}' would be {:g}, outside the range that the map states", point->name,
                         *number);
    }
  }
  return {};
}

}  // namespace

tl::expected<std::vector<std::uint16_t>, std::string> words_to_write(
    const model::ResolvedPlan& plan, const HandValue& value, const modbus::WrittenValue& written,
    bool force) {
  const auto allowed = [&](std::vector<std::uint16_t> words)
      -> tl::expected<std::vector<std::uint16_t>, std::string> {
    const std::string against = force ? std::string() : objection(plan, value, words);
    if (against.empty()) return words;
    return tl::unexpected(against + "; --force writes it all the same");
  };
  const bool writable_area =
      value.block.area == Area::coil || value.block.area == Area::holding_register;
  if (!writable_area) {
    return tl::unexpected(
        fmt::format("{} cannot be written: only coils and holding registers can", value.where));
  }
  if (is_bit_area(value.block.area)) {
    return allowed({static_cast<std::uint16_t>(std::get<bool>(written.raw) ? 1 : 0)});
  }
  if (value.form.type.kind == TypeKind::boolean) {
    return tl::unexpected(fmt::format(
        "{} is one bit of a register: read the register, and write it as a whole", value.where));
  }
  if (value.block.count != registers_of(value.form.type)) {
    return tl::unexpected(
        std::string("--count is of reads; what is written is as long as its type"));
  }
  const bool needs_order = value.block.count > 1 && value.form.type.kind != TypeKind::text;
  if (needs_order && !value.order) {
    return tl::unexpected(std::string(
        "nothing says in which order its words go; write --order ABCD, CDAB, BADC or DCBA"));
  }
  const auto words = modbus::encode_value(written.raw, value.form.type,
                                          value.order.value_or(model::WordOrder::abcd));
  if (!words) return tl::unexpected(words.error());
  return allowed(*words);
}

std::string value_text(const HandValue& value, const std::vector<std::uint16_t>& words) {
  if (is_bit_area(value.block.area)) {
    std::string bits;
    for (const std::uint16_t word : words) {
      bits += fmt::format("{}{}", bits.empty() ? "" : " ", word);
    }
    return bits;
  }
  const auto raw = words.size() == registers_of(value.form.type)
                       ? modbus::decode_value(
                             words, value.form.type, value.order.value_or(model::WordOrder::abcd),
                             value.point != nullptr && value.point->bit ? *value.point->bit : 0)
                       : tl::expected<modbus::RawValue, std::string>(tl::unexpect, "");
  const bool known = value.block.count < 2 || value.order || value.form.type.kind == TypeKind::text;
  if (!raw || !known) {
    std::string hex;
    for (const std::uint16_t word : words) {
      hex += fmt::format("{}{:04X}", hex.empty() ? "" : " ", word);
    }
    return hex;
  }
  const bool number = !std::holds_alternative<bool>(*raw) &&
                      !std::holds_alternative<std::string>(*raw) &&
                      value.form.type.kind != TypeKind::bits;
  const auto* real = std::get_if<double>(&*raw);
  if (!number || (real != nullptr && !std::isfinite(*real))) {
    return modbus::to_text(*raw, value.form.type);
  }
  return modbus::engineering_digits(*raw, value.form.type, value.form.factor, value.form.offset);
}

std::string value_name(const HandValue& value, const std::vector<std::uint16_t>& words) {
  if (value.point == nullptr || value.form.type != value.point->type) return {};
  const auto found =
      engine::value_in(words, *value.point, value.order.value_or(model::WordOrder::abcd));
  return found ? found->name : std::string();
}

std::vector<std::string> readings_of(const HandValue& value,
                                     const std::vector<std::uint16_t>& words) {
  std::vector<std::string> out;
  if (is_bit_area(value.block.area)) {
    out.push_back("bits  " + value_text(value, words));
    return out;
  }
  constexpr std::size_t most_listed = 16;
  std::string printable;
  for (std::size_t i = 0; i < words.size(); ++i) {
    for (const unsigned shift : {8U, 0U}) {
      const auto c = static_cast<char>((words[i] >> shift) & 0xFFU);
      printable += c >= ' ' && c <= '~' ? c : '.';
    }
    if (i >= most_listed) continue;
    out.push_back(fmt::format("hr{:<6} {:04X}  {:>5}  {:>6}  {:016b}", value.block.first + i,
                              words[i], words[i], static_cast<std::int16_t>(words[i]), words[i]));
    if (value.block.area == Area::input_register) out.back().replace(0, 2, "ir");
  }
  if (words.size() > most_listed) {
    out.push_back(fmt::format("and {} more", words.size() - most_listed));
  }
  if (printable.find_first_not_of('.') != std::string::npos) {
    out.push_back(fmt::format("text    \"{}\"", printable));
  }
  // the first two and four as numbers of several words, where that makes sense
  for (const TypeKind kind : {TypeKind::f32, TypeKind::i32, TypeKind::u32, TypeKind::f64}) {
    modbus::ValueQuestion question;
    question.type = {kind, 0};
    const std::uint32_t needed = registers_of(question.type);
    if (words.size() < needed) continue;
    question.words.assign(words.begin(), words.begin() + needed);
    const auto readings = modbus::read_in_all_orders(question);
    if (!readings) continue;
    std::string line;
    for (const modbus::ValueReading& reading : *readings) {
      if (!reading.engineering) continue;
      const double size = std::abs(*reading.engineering);
      constexpr double least = 1e-6;
      constexpr double most = 1e9;
      if (!std::isfinite(size) || size > most || (size != 0 && size < least)) continue;
      line += fmt::format("  {} {}", to_string(reading.order), reading.engineering_text);
    }
    if (!line.empty()) out.push_back(fmt::format("{:<6}{}", to_text(question.type), line));
  }
  return out;
}

std::vector<std::string> other_writers(const model::ResolvedPlan& plan, const HandValue& value) {
  std::vector<std::string> out;
  const model::Extent own{value.block.first, value.block.first + value.block.count};
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    if (!t.write || t.target.is_peer || t.target.index != value.block.slave ||
        t.write->area != value.block.area || t.write->extent().end <= own.first ||
        own.end <= t.write->extent().first) {
      continue;
    }
    const std::string when = t.trigger.kind == model::TriggerKind::cyclic
                                 ? fmt::format("every {}", model::to_text(t.trigger.period))
                             : t.trigger.kind == model::TriggerKind::continuous
                                 ? std::string("all the time")
                                 : std::string("when it is set off");
    out.push_back(fmt::format("{} of {} writes it {}", t.name,
                              plan.plan.controllers[t.controller].name, when));
  }
  return out;
}

}  // namespace greymet::cli::internal
