#include "iec_data.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "model/duration_text.h"

namespace greymet::exports {

using model::bits_per_word;

namespace {

constexpr std::size_t longest_in_table = 80;  // bytes of a text

// Where bits lie, as `AT` takes it; nothing where the area is no directly represented variable
// (IEC 61131-3, 2.4.1.1), so that it has to be linked by hand.
std::string located(const model::MemoryLayout& layout, const model::BitRange& words) {
  const model::MemoryArea& area = layout.controller().memory[words.store];
  const std::string name = layout.name_of(words);
  const std::string first = name.substr(0, name.find(".."));
  const bool direct = area.name.size() >= 2 && area.name.size() <= 3 && area.name[0] == '%' &&
                      std::string_view("IQM").find(area.name[1]) != std::string_view::npos &&
                      (area.name.size() == 2 ||
                       std::string_view("XBWDL").find(area.name[2]) != std::string_view::npos);
  const bool decimal = first.size() > area.name.size() &&
                       std::all_of(first.begin() + static_cast<std::ptrdiff_t>(area.name.size()),
                                   first.end(), [](char c) { return model::is_digit(c); });
  return direct && decimal && area.radix == 10 ? first : std::string();
}

}  // namespace

IecVariable iec_variable(const std::string& name, const std::string& type,
                         const std::string& comment) {
  return {name, {type, {}}, {}, {}, {}, comment};
}

IecData::IecData(const model::MemoryLayout& layout, std::initializer_list<const char*> reserved)
    : layout_(layout) {
  for (const char* name : reserved) (void)names_.take(name);
}

bool IecData::of_bits(const model::BitRange& bits) const {
  return layout_.controller().memory[bits.store].kind == model::MemoryKind::bit;
}

void IecData::place_at(IecVariable& variable, const model::BitRange& words,
                       const std::string& shown) const {
  variable.at = located(layout_, words);
  if (variable.at.empty()) variable.comment = fmt::format("lies at {}: link it there", shown);
}

RawPlace IecData::declare(const std::string& name, const model::BitRange& bits,
                          const std::string& what) {
  RawPlace place;
  IecVariable v = iec_variable(names_.take(name + "_at"), of_bits(bits) ? "BOOL" : "WORD");
  model::BitRange words = bits;
  if (!of_bits(bits)) {
    words.first -= words.first % bits_per_word;
    words.end += (bits_per_word - words.end % bits_per_word) % bits_per_word;
    const std::uint64_t count = (words.end - words.first) / bits_per_word;
    if (bits.end - bits.first == 1) place.bit = bits.first % bits_per_word;
    for (std::uint64_t i = 0; i < count; ++i) {
      place.words.push_back(count == 1 ? v.name : fmt::format("{}[{}]", v.name, i));
    }
    if (count > 1) v.type.bounds = {0, count - 1};
  } else {
    place.words.push_back(v.name);
  }
  place_at(v, words, layout_.name_of(bits));
  if (!v.comment.empty()) v.comment += "; ";
  v.comment += what;
  own_.variables.push_back(std::move(v));
  return place;
}

std::string IecData::declare_array(const std::string& name, const model::BitRange& bits) {
  const bool words = !of_bits(bits);
  IecVariable v = iec_variable(names_.take(name), words ? "WORD" : "BOOL");
  v.type.bounds = {0, (bits.end - bits.first) / (words ? bits_per_word : 1) - 1};
  place_at(v, bits, layout_.name_of(bits));
  own_.variables.push_back(v);
  return v.name;
}

void IecData::own(const std::string& name, const std::string& type) {
  own_.variables.push_back(iec_variable(name, type));
}

std::string IecData::own_types() const {
  std::string text;
  for (const IecVariable& v : own_.variables) text += " " + v.type.name;
  return text;
}

std::optional<TransactionTable> transaction_table(const model::ResolvedPlan& plan,
                                                  model::ControllerIndex controller) {
  const model::MemoryLayout& layout = plan.layouts[controller];
  IecVariable table = iec_variable("transactions", "GM_TRANSACTION");
  const auto number = [](auto value) { return fmt::format("{}", value); };
  const auto text = [](std::string_view words) {
    return iec_string(words.substr(0, longest_in_table));
  };
  const auto memory = [&](const std::optional<model::MemoryRange>& range) {
    return text(range ? layout.name_of(*range) : "");
  };
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    if (t.controller != controller) continue;
    const bool cyclic = t.trigger.kind == model::TriggerKind::cyclic;
    table.rows.push_back(
        {{"name", text(t.name)},
         {"target", text(plan.target_name(t.target))},
         {"way", text(t.endpoint.line ? plan.exchange.lines[*t.endpoint.line].name
                                      : fmt::format("{}:{}", t.endpoint.host, t.endpoint.port))},
         {"unit", number(t.endpoint.unit ? t.endpoint.unit->value : 0)},
         {"function_code", number(number_of(t.function))},
         {"read_at", number(t.read ? t.read->offset : 0)},
         {"read_count", number(t.read ? t.read->quantity : 0)},
         {"into", memory(t.into)},
         {"write_at", number(t.write ? t.write->offset : 0)},
         {"write_count", number(t.write ? t.write->quantity : 0)},
         {"source", memory(t.from)},
         {"runs", iec_string(to_string(t.trigger.kind))},
         {"period", iec_time(cyclic ? t.trigger.period : model::Duration{})},
         {"phase", iec_time(cyclic ? t.trigger.phase : model::Duration{})},
         {"min_gap", iec_time(cyclic ? model::Duration{} : t.trigger.period)},
         {"timeout", iec_time(t.endpoint.timeout)},
         {"retries", number(t.endpoint.retries)},
         {"trigger", memory(t.trigger.bit)},
         {"gate", memory(t.gate)},
         {"read_swap", text(t.read_swap ? to_string(*t.read_swap) : "")},
         {"write_swap", text(t.write_swap ? to_string(*t.write_swap) : "")},
         {"packing", text(t.packing ? to_string(*t.packing) : "")},
         {"loss", text(t.on_loss ? to_string(*t.on_loss) : "")},
         {"park_after", number(t.endpoint.park ? t.endpoint.park->after : 0)},
         {"park_retry", iec_time(t.endpoint.park ? t.endpoint.park->retry : model::Duration{})}});
  }
  if (table.rows.empty()) return std::nullopt;
  table.type.bounds = {1, table.rows.size()};
  IecStruct type{"GM_TRANSACTION", {}};
  for (const auto& [name, value] : table.rows.front()) {
    const bool words = value.front() == '\'';
    const bool time = value.starts_with("T#");
    type.members.push_back(iec_variable(name, words  ? fmt::format("STRING[{}]", longest_in_table)
                                              : time ? "TIME"
                                                     : "UINT"));
  }
  return TransactionTable{std::move(type), std::move(table)};
}

}  // namespace greymet::exports
