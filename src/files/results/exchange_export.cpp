#include "files/exchange_export.h"

#include <cmath>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "files/json_text.h"
#include "files/output_folder.h"
#include "modbus/constant_words.h"
#include "model/resolved_plan.h"

namespace greymet::files {

using SortedJson = nlohmann::json;  // keeps keys sorted, as the canonical form wants them
using model::Exchange;
using model::ExchangeTransaction;
using model::ResolvedPlan;
using model::TriggerKind;

namespace {

constexpr int format_version = 3;

SortedJson nanoseconds(model::Duration d) {
  return model::in_ns(d);
}

SortedJson delay_json(const model::Delay& delay) {
  SortedJson out{{"typical_ns", model::in_ns(delay.typical)}, {"max_ns", model::in_ns(delay.max)}};
  if (delay.min > model::Duration{}) out["min_ns"] = model::in_ns(delay.min);
  return out;
}

// Whole numbers without a fraction, so that every JSON writer gives the same text.
SortedJson number_json(double value) {
  constexpr double exact = 9007199254740992.0;  // 2^53
  const bool whole = value == std::floor(value) && std::abs(value) < exact;
  return whole ? SortedJson(static_cast<std::int64_t>(value)) : SortedJson(value);
}

template <class T>
SortedJson or_null(const std::optional<T>& value) {
  return value ? SortedJson(*value) : SortedJson(nullptr);
}

// The word of an enumeration, or null.
template <class T>
SortedJson word_or_null(const std::optional<T>& value) {
  return value ? SortedJson(to_string(*value)) : SortedJson(nullptr);
}

SortedJson unit_json(const std::optional<model::Unit>& unit) {
  return unit ? SortedJson(unit->value) : SortedJson(nullptr);
}

// The name of what an index stands for, or null.
template <class List, class I>
SortedJson name_or_null(const List& list, const std::optional<I>& index) {
  return index ? SortedJson(list[*index].name) : SortedJson(nullptr);
}

SortedJson memory_json(const model::Controller& c) {
  SortedJson memory = SortedJson::array();
  for (const model::MemoryArea& area : c.memory) {
    SortedJson serves = SortedJson::array();
    for (const auto& s : area.serves) serves.push_back(s.value.text);
    memory.push_back(
        {{"name", area.name},
         {"kind", area.kind == model::MemoryKind::word ? "word" : "bit"},
         {"first", area.first},
         {"count", area.count},
         {"radix", area.radix},
         {"inside", area.inside ? SortedJson(area.inside->value) : SortedJson(nullptr)},
         {"width", area.width},
         {"serves", serves}});
  }
  return memory;
}

// One way of answering; what plays no part on a line is null there.
SortedJson answer_json(const Exchange& exchange, const model::ExchangeAnswer& a,
                       const model::Answer& declared) {
  SortedJson allows = nullptr;
  if (declared.allows) {
    allows = SortedJson::array();
    for (const auto& who : declared.allows->value) allows.push_back(who.value);
  }
  const auto on_tcp = [&](SortedJson value) {
    return a.on_line ? SortedJson(nullptr) : std::move(value);
  };
  return {{"port", on_tcp(a.port)},
          {"timeout_ns", on_tcp(nanoseconds(a.timeout))},
          {"retries", on_tcp(a.retries)},
          {"connections", or_null(a.connections)},
          {"allows", allows},
          {"line", name_or_null(exchange.lines, a.line)},
          {"unit", unit_json(a.unit)}};
}

SortedJson controller_json(const ResolvedPlan& plan, std::size_t index) {
  const model::Controller& declared = plan.plan.controllers[index];
  const model::ExchangeController& c = plan.exchange.controllers[index];
  SortedJson answers = SortedJson::array();
  for (std::size_t a = 0; a < c.answers.size(); ++a) {
    answers.push_back(answer_json(plan.exchange, c.answers[a], declared.answers[a]));
  }
  SortedJson out{
      {"name", c.name},
      {"scan_ns", nanoseconds(c.scan)},
      {"sends", c.sends == model::Sends::scan ? "scan" : "anytime"},
      {"in_flight", or_null(c.in_flight)},
      {"address", declared.address ? SortedJson(declared.address->value) : SortedJson(nullptr)},
      {"word_order", declared.word_order ? SortedJson(to_string(declared.word_order->value))
                                         : SortedJson(nullptr)},
      {"memory", memory_json(declared)},
      {"answers", answers}};
  // left out where it is the default, so that older fingerprints stay
  if (c.jitter > model::Duration{}) out["jitter_ns"] = nanoseconds(c.jitter);
  if (const auto& word = plan.fingerprint_words[model::ControllerIndex(index)]) {
    out["fingerprint_at"] = plan.layouts[model::ControllerIndex(index)].name_of(word->bits);
  }
  return out;
}

SortedJson line_json(const Exchange& exchange, const model::ExchangeLine& l) {
  SortedJson park = nullptr;
  if (l.park) park = {{"after", l.park->after}, {"retry_ns", model::in_ns(l.park->retry)}};
  SortedJson out{{"name", l.name},
                 {"master", name_or_null(exchange.controllers, l.master)},
                 {"via", name_or_null(exchange.gateways, l.via)},
                 {"port", or_null(l.port)},
                 {"medium", to_string(l.medium)},
                 {"mode", word_or_null(l.mode)},
                 {"baud", or_null(l.baud)},
                 {"format", l.format ? SortedJson(to_text(*l.format)) : SortedJson(nullptr)},
                 {"timeout_ns", nanoseconds(l.timeout)},
                 {"retries", l.retries},
                 {"pause_ns", nanoseconds(l.pause)},
                 {"turnaround_ns", nanoseconds(l.turnaround)},
                 {"order", l.order == model::Order::due ? "due" : "list"},
                 {"park", park}};
  // left out where they change nothing, so that they change no fingerprint
  if (l.timeout_to == model::TimeoutTo::first) out["timeout_to"] = "first";
  if (l.latency.max > model::Duration{}) out["latency"] = delay_json(l.latency);
  if (l.character_gap > 0) out["character_gap"] = number_json(l.character_gap);
  return out;
}

SortedJson gateway_json(const model::ExchangeGateway& g) {
  SortedJson out{{"name", g.name},
                 {"host", or_null(g.host)},
                 {"port", g.port},
                 {"timeout_ns", nanoseconds(g.timeout)},
                 {"retries", g.retries},
                 {"in_flight", g.in_flight},
                 {"framing", g.framing == model::GatewayFraming::tcp ? "tcp" : "rtu"},
                 {"delay", delay_json(g.delay)},
                 {"rtt", delay_json(g.rtt)}};
  // left out where it is the default, so that older fingerprints stay
  if (g.answers_for_silent()) out["on_silence"] = "exception";
  if (g.connections) out["connections"] = *g.connections;
  return out;
}

SortedJson slave_json(const Exchange& exchange, const model::ExchangeSlave& s,
                      const model::Slave& declared) {
  SortedJson out{{"name", s.name},
                 {"line", name_or_null(exchange.lines, s.line)},
                 {"host", or_null(s.host)},
                 {"unit", unit_json(s.unit)},
                 {"reply", delay_json(s.reply)},
                 {"pause_ns", nanoseconds(s.pause)}};
  if (s.character_gap > 0) out["character_gap"] = number_json(s.character_gap);
  // left out where the plan does not state them, so that older fingerprints stay
  if (declared.watchdog) {
    out["watchdog_ns"] = nanoseconds(declared.watchdog->value);
    out["watchdog_by"] = s.watchdog_by == model::WatchdogBy::any ? "any" : "writes";
  }
  if (declared.connections) out["connections"] = declared.connections->value;
  if (declared.idle) out["idle_ns"] = nanoseconds(declared.idle->value);
  if (s.host) {
    out["port"] = s.port;
    out["timeout_ns"] = nanoseconds(s.timeout);
    out["retries"] = s.retries;
    out["connect_timeout_ns"] = nanoseconds(s.connect_timeout);
    if (s.retransmission > model::Duration{}) {
      out["retransmission_ns"] = nanoseconds(s.retransmission);
    }
    out["rtt"] = delay_json(s.rtt);
    out["connect"] = s.connect == model::Connect::keep ? "keep" : "each";
    out["in_flight"] = s.in_flight;
  }
  return out;
}

SortedJson points_json(const ResolvedPlan& plan, const ExchangeTransaction& t,
                       const model::DeviceBlock& block,
                       const std::optional<model::MemoryRange>& memory) {
  SortedJson points = SortedJson::array();
  const model::RegisterMap* map = plan.map_of(t.target);
  if (map == nullptr) return points;
  const auto slave_order = plan.plan.slaves[t.target.index].word_order;
  for (const model::Point* p : map->points_touching(block.area, block.extent())) {
    const std::uint32_t at = p->address.offset.value;
    if (at < block.offset || extent_of(*p).end > block.extent().end) continue;
    SortedJson point{{"name", p->name},
                     {"at", at},
                     {"type", to_text(p->type)},
                     {"unit", p->unit},
                     {"factor", number_json(p->factor)},
                     {"offset", number_json(p->offset)}};
    point["bit"] = p->bit ? SortedJson(*p->bit) : SortedJson(nullptr);
    point["word_order"] = nullptr;
    if (slave_order) point["word_order"] = to_string(slave_order->value);
    if (p->word_order) point["word_order"] = to_string(*p->word_order);
    point["memory"] = nullptr;
    const bool same_kind = memory && !memory->bit &&
                           (plan.plan.controllers[t.controller].memory[memory->area].kind ==
                            model::MemoryKind::bit) == is_bit_area(block.area);
    const model::MemoryLayout& layout = plan.layouts[t.controller];
    if (same_kind) {
      point["memory"] = layout.name_of(memory->area, memory->number + (at - block.offset));
    } else if (memory) {  // packed, or a single bit
      const std::uint64_t width = is_bit_area(block.area) ? 1 : model::bits_per_word;
      const std::uint64_t first = memory->bits.first + (at - block.offset) * width;
      const std::uint64_t size = (extent_of(*p).end - extent_of(*p).first) * width;
      if (first + size <= memory->bits.end) {
        point["memory"] = layout.name_of(model::BitRange{memory->bits.store, first, first + size});
      }
    }
    points.push_back(std::move(point));
  }
  return points;
}

SortedJson block_json(const ResolvedPlan& plan, const ExchangeTransaction& t,
                      const std::optional<model::DeviceBlock>& block,
                      const std::optional<model::MemoryRange>& memory,
                      const std::optional<model::WordOrder>& swap) {
  if (!block) return nullptr;
  const model::Address address{block->area, {static_cast<std::uint16_t>(block->offset)}};
  SortedJson out{{"area", short_name(block->area)},
                 {"at", block->offset},
                 {"count", block->quantity},
                 {"reference", reference6(address)},
                 {"memory", memory ? SortedJson(plan.layouts[t.controller].name_of(*memory))
                                   : SortedJson(nullptr)},
                 {"points", points_json(plan, t, *block, memory)}};
  if (swap) out["swap"] = to_string(*swap);
  return out;
}

// What is always sent, as words of the block; only where there is something.
SortedJson with_constants(SortedJson block, const ExchangeTransaction& t) {
  if (t.constants.empty()) return block;
  SortedJson list = SortedJson::array();
  for (const model::SentConstant& constant : t.constants) {
    const auto words = modbus::constant_words(constant, constant.order);
    list.push_back({{"at", t.write->offset + constant.first},
                    {"bit", constant.bit ? SortedJson(*constant.bit) : SortedJson(nullptr)},
                    {"value", constant.text},
                    {"words", words ? SortedJson(*words) : SortedJson(nullptr)}});
  }
  block["constants"] = std::move(list);
  return block;
}

SortedJson transaction_json(const ResolvedPlan& plan, const ExchangeTransaction& t) {
  const model::MemoryLayout& layout = plan.layouts[t.controller];
  const auto memory_name = [&](const std::optional<model::MemoryRange>& range) {
    return range ? SortedJson(layout.name_of(*range)) : SortedJson(nullptr);
  };
  SortedJson status = SortedJson::object();
  for (const model::Status& s : t.status) {
    status[std::string(to_string(s.kind))] = layout.name_of(s.range);
  }
  const bool cyclic = t.trigger.kind == TriggerKind::cyclic;
  const bool spaced = !cyclic && t.trigger.period > model::Duration{};
  return {{"name", t.name},
          {"controller", plan.exchange.controllers[t.controller].name},
          {"slave", plan.target_name(t.target)},
          {"function", number_of(t.function)},
          {"read", block_json(plan, t, t.read, t.into, t.read_swap)},
          {"write", with_constants(block_json(plan, t, t.write, t.from, t.write_swap), t)},
          {"when", to_string(t.trigger.kind)},
          {"relays", t.relays},
          {"status", status},
          {"period_ns", cyclic ? nanoseconds(t.trigger.period) : SortedJson(nullptr)},
          {"phase_ns", cyclic ? nanoseconds(t.trigger.phase) : SortedJson(nullptr)},
          {"min_gap_ns", spaced ? nanoseconds(t.trigger.period) : SortedJson(nullptr)},
          {"trigger", memory_name(t.trigger.bit)},
          {"only_if", memory_name(t.gate)},
          {"on_loss", word_or_null(t.on_loss)},
          {"packing", word_or_null(t.packing)}};
}

SortedJson heartbeat_json(const ResolvedPlan& plan, const model::ExchangeHeartbeat& h) {
  const auto& controllers = plan.exchange.controllers;
  SortedJson out{{"name", h.name},
                 {"from", name_or_null(controllers, h.from)},
                 {"bit", h.from && h.bit ? SortedJson(plan.layouts[*h.from].name_of(*h.bit))
                                         : SortedJson(nullptr)},
                 {"toggle_ns", nanoseconds(h.toggle)},
                 {"to", name_or_null(controllers, h.to)},
                 {"watch_ns", nanoseconds(h.watch)},
                 {"react_ns", nanoseconds(h.react)},
                 {"lost", h.lost},
                 {"on_loss", word_or_null(h.on_loss)}};
  if (h.to && h.seen) out["seen"] = plan.layouts[*h.to].name_of(*h.seen);
  return out;
}

// What programs take for the values that they exchange: tags alone say so. Their names are no part
// of it.
SortedJson values_between_programs(const ResolvedPlan& plan) {
  SortedJson values = SortedJson::array();
  const auto end_json = [&](const model::ResolvedTag& tag) -> SortedJson {
    const model::Tag& declared = plan.declared(tag);
    return {{"controller", plan.plan.controllers[tag.controller].name},
            {"memory", plan.layouts[tag.controller].name_of(*tag.memory)},
            {"type", to_text(declared.type)},
            {"word_order", word_or_null(plan.order_of(tag))},
            {"factor", declared.factor ? number_json(*declared.factor) : SortedJson(nullptr)},
            {"offset", declared.offset ? number_json(*declared.offset) : SortedJson(nullptr)}};
  };
  for (const model::ResolvedTag& tag : plan.tags) {
    if (!tag.memory || !tag.from || !tag.from->is_tag) continue;
    const model::ResolvedTag& other = plan.tags[tag.from->owner];
    if (!other.memory) continue;
    values.push_back({{"from", end_json(other)}, {"to", end_json(tag)}});
  }
  return values;
}

// Everything that decides what happens on the wire and in memory, and nothing else.
SortedJson canonical_exchange(const ResolvedPlan& plan) {
  const Exchange& exchange = plan.exchange;
  SortedJson out{{"controllers", SortedJson::array()}, {"lines", SortedJson::array()},
                 {"gateways", SortedJson::array()},    {"slaves", SortedJson::array()},
                 {"copies", SortedJson::array()},      {"transactions", SortedJson::array()},
                 {"heartbeats", SortedJson::array()}};
  for (std::size_t c = 0; c < exchange.controllers.size(); ++c) {
    out["controllers"].push_back(controller_json(plan, c));
  }
  for (const auto& l : exchange.lines) out["lines"].push_back(line_json(exchange, l));
  for (const auto& g : exchange.gateways) out["gateways"].push_back(gateway_json(g));
  for (std::size_t s = 0; s < exchange.slaves.size(); ++s) {
    out["slaves"].push_back(slave_json(exchange, exchange.slaves[s], plan.plan.slaves[s]));
  }
  for (const ExchangeTransaction& t : exchange.transactions) {
    out["transactions"].push_back(transaction_json(plan, t));
  }
  for (const auto& h : exchange.heartbeats) out["heartbeats"].push_back(heartbeat_json(plan, h));
  for (const auto& c : plan.copies) {
    if (!c.controller || !c.from || !c.to) continue;
    const model::MemoryLayout& layout = plan.layouts[*c.controller];
    out["copies"].push_back({{"controller", layout.controller().name},
                             {"from", layout.name_of(*c.from)},
                             {"to", layout.name_of(*c.to)}});
  }
  SortedJson between = values_between_programs(plan);
  if (!between.empty()) out["values"] = std::move(between);
  return out;
}

// What the programs call their memory: not part of what happens, and so of no fingerprint.
nlohmann::ordered_json tags_json(const ResolvedPlan& plan) {
  nlohmann::ordered_json tags = nlohmann::ordered_json::array();
  const auto end_name = [&](const std::optional<model::TagEnd>& end) -> nlohmann::ordered_json {
    if (!end) return nullptr;
    if (end->is_tag) return plan.full_name(plan.tags[end->owner]);
    return plan.plan.slaves[end->owner].name + "." + plan.point_of(*end).name;
  };
  for (const model::ResolvedTag& tag : plan.tags) {
    if (!tag.memory) continue;
    const model::Tag& declared = plan.declared(tag);
    tags.push_back({{"controller", plan.plan.controllers[tag.controller].name},
                    {"tag", declared.name},
                    {"memory", plan.layouts[tag.controller].name_of(*tag.memory)},
                    {"type", to_text(declared.type)},
                    {"word_order", declared.word_order
                                       ? nlohmann::ordered_json(to_string(*declared.word_order))
                                       : nlohmann::ordered_json(nullptr)},
                    {"unit", declared.unit},
                    {"from", end_name(tag.from)},
                    {"to", end_name(tag.to)}});
  }
  return tags;
}

std::string fingerprint_of_canonical(const SortedJson& exchange) {
  return "sha256:" + sha256_hex(canonical_json(exchange));
}

}  // namespace

std::string fingerprint_of(const ResolvedPlan& resolved) {
  return fingerprint_of_canonical(canonical_exchange(resolved));
}

std::string exchange_json(const ResolvedPlan& resolved) {
  const SortedJson exchange = canonical_exchange(resolved);
  nlohmann::ordered_json document;
  document["format"] = "greymet-exchange";
  document["version"] = format_version;
  document["title"] = model::value_or(resolved.plan.title, std::string());
  document["revision"] = model::value_or(resolved.plan.revision, std::string());
  document["fingerprint"] = fingerprint_of_canonical(exchange);
  document["exchange"] = exchange;
  if (!resolved.tags.empty()) document["tags"] = tags_json(resolved);
  return dump(document);
}

}  // namespace greymet::files
