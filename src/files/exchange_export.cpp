#include "files/exchange_export.h"

#include <cmath>

#include <csv.h>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "files/output_folder.h"
#include "model/duration_text.h"

namespace greymet::files {

using Json = nlohmann::json;  // keeps keys sorted, as the canonical form wants them
using model::Declared;
using model::ResolvedPlan;
using model::ResolvedTransaction;
using model::TriggerKind;
using model::value_or;
namespace defaults = model::defaults;

namespace {

constexpr int format_version = 1;

Json nanoseconds(model::Duration d) {
  return d.count();
}

Json delay_json(const model::Delay& delay) {
  return {{"typical_ns", delay.typical.count()}, {"max_ns", delay.max.count()}};
}

// Whole numbers without a fraction, so that every JSON writer gives the same text.
Json number_json(double value) {
  constexpr double exact = 9007199254740992.0;  // 2^53
  const bool whole = value == std::floor(value) && std::abs(value) < exact;
  return whole ? Json(static_cast<std::int64_t>(value)) : Json(value);
}

template <class T>
Json or_null(const Declared<T>& declared) {
  return declared ? Json(declared->value) : Json(nullptr);
}

Json controller_json(const model::Controller& c) {
  Json memory = Json::array();
  for (const model::MemoryArea& area : c.memory) {
    Json serves = Json::array();
    for (const auto& s : area.serves) serves.push_back(s.value.text);
    memory.push_back({{"name", area.name},
                      {"kind", area.kind == model::MemoryKind::word ? "word" : "bit"},
                      {"first", area.first},
                      {"count", area.count},
                      {"radix", area.radix},
                      {"inside", or_null(area.inside)},
                      {"width", area.width},
                      {"serves", serves}});
  }
  Json answers = Json::array();
  for (const model::Answer& a : c.answers) {
    Json allows = nullptr;
    if (a.allows) {
      allows = Json::array();
      for (const auto& who : a.allows->value) allows.push_back(who.value);
    }
    answers.push_back(
        {{"port", a.line ? Json(nullptr) : Json(value_or(a.port, defaults::tcp_port))},
         {"connections", or_null(a.connections)},
         {"allows", allows},
         {"line", or_null(a.line)},
         {"unit", or_null(a.unit)}});
  }
  const bool at_scan = value_or(c.sends, model::Sends::anytime) == model::Sends::scan;
  return {{"name", c.name},
          {"scan_ns", nanoseconds(value_or(c.scan, model::Duration{}))},
          {"sends", at_scan ? "scan" : "anytime"},
          {"in_flight", or_null(c.in_flight)},
          {"address", or_null(c.address)},
          {"word_order", c.word_order ? Json(to_string(c.word_order->value)) : Json(nullptr)},
          {"memory", memory},
          {"answers", answers}};
}

Json line_json(const model::Line& l) {
  const auto& s = l.settings;
  Json park = nullptr;
  if (l.park) park = {{"after", l.park->value.after}, {"retry_ns", l.park->value.retry.count()}};
  return {{"name", l.name},
          {"master", or_null(l.master)},
          {"via", or_null(l.via)},
          {"port", or_null(l.port)},
          {"medium", to_string(value_or(l.medium, model::Medium::rs485))},
          {"mode", s.mode ? Json(to_string(s.mode->value)) : Json(nullptr)},
          {"baud", or_null(s.baud)},
          {"format", s.format ? Json(to_text(s.format->value)) : Json(nullptr)},
          {"timeout_ns", nanoseconds(value_or(l.timeout, defaults::serial_timeout))},
          {"retries", value_or(l.retries, defaults::serial_retries)},
          {"pause_ns", nanoseconds(value_or(l.pause, model::Duration{}))},
          {"turnaround_ns", nanoseconds(value_or(l.turnaround, defaults::turnaround))},
          {"order", value_or(l.order, model::Order::due) == model::Order::due ? "due" : "list"},
          {"park", park}};
}

Json gateway_json(const model::Gateway& g) {
  const bool translates =
      value_or(g.framing, model::GatewayFraming::tcp) == model::GatewayFraming::tcp;
  return {{"name", g.name},
          {"host", or_null(g.host)},
          {"port", value_or(g.port, defaults::tcp_port)},
          {"timeout_ns", nanoseconds(value_or(g.timeout, defaults::tcp_timeout))},
          {"retries", value_or(g.retries, defaults::tcp_retries)},
          {"in_flight", value_or(g.in_flight, std::int64_t{1})},
          {"framing", translates ? "tcp" : "rtu"},
          {"delay", delay_json(value_or(g.delay, defaults::gateway_delay))},
          {"rtt", delay_json(value_or(g.rtt, defaults::rtt))}};
}

Json slave_json(const model::Slave& s) {
  Json out{{"name", s.name},
           {"line", or_null(s.line)},
           {"host", or_null(s.host)},
           {"unit", s.host && !s.unit ? Json(defaults::tcp_unit) : or_null(s.unit)},
           {"reply", delay_json(value_or(s.reply, defaults::slave_reply))},
           {"pause_ns", nanoseconds(value_or(s.pause, model::Duration{}))}};
  if (s.host) {
    out["port"] = value_or(s.port, defaults::tcp_port);
    out["timeout_ns"] = value_or(s.timeout, defaults::tcp_timeout).count();
    out["retries"] = value_or(s.retries, defaults::tcp_retries);
    out["connect_timeout_ns"] =
        value_or(s.connect_timeout, value_or(s.timeout, defaults::tcp_timeout)).count();
    out["rtt"] = delay_json(value_or(s.rtt, defaults::rtt));
    out["connect"] =
        value_or(s.connect, model::Connect::keep) == model::Connect::keep ? "keep" : "each";
    out["in_flight"] = value_or(s.in_flight, std::int64_t{1});
  }
  return out;
}

Json points_json(const ResolvedPlan& plan, const ResolvedTransaction& t,
                 const model::DeviceBlock& block, const std::optional<model::MemoryRange>& memory) {
  Json points = Json::array();
  const model::RegisterMap* map = plan.map_of(*t.target);
  if (map == nullptr) return points;
  const auto slave_order = plan.plan.slaves[t.target->index].word_order;
  for (const model::Point* p : map->points_touching(block.area, block.extent())) {
    const std::uint32_t at = p->address.offset.value;
    if (at < block.offset || extent_of(*p).end > block.extent().end) continue;
    Json point{{"name", p->name},
               {"at", at},
               {"type", to_text(p->type)},
               {"unit", p->unit},
               {"factor", number_json(p->factor)},
               {"offset", number_json(p->offset)}};
    point["bit"] = p->bit ? Json(*p->bit) : Json(nullptr);
    point["word_order"] = nullptr;
    if (slave_order) point["word_order"] = to_string(slave_order->value);
    if (p->word_order) point["word_order"] = to_string(*p->word_order);
    point["memory"] = nullptr;
    const bool same_kind = memory && !memory->bit &&
                           (plan.plan.controllers[*t.controller].memory[memory->area].kind ==
                            model::MemoryKind::bit) == is_bit_area(block.area);
    if (same_kind) {
      point["memory"] =
          plan.layouts[*t.controller].name_of(memory->area, memory->number + (at - block.offset));
    }
    points.push_back(std::move(point));
  }
  return points;
}

Json block_json(const ResolvedPlan& plan, const ResolvedTransaction& t,
                const std::optional<model::DeviceBlock>& block,
                const std::optional<model::MemoryRange>& memory) {
  if (!block) return nullptr;
  const model::Address address{block->area, {static_cast<std::uint16_t>(block->offset)}};
  return {{"area", short_name(block->area)},
          {"at", block->offset},
          {"count", block->quantity},
          {"reference", reference6(address)},
          {"memory", memory ? Json(plan.layouts[*t.controller].name_of(*memory)) : Json(nullptr)},
          {"points", points_json(plan, t, *block, memory)}};
}

std::string_view trigger_name(TriggerKind kind) {
  switch (kind) {
    case TriggerKind::cyclic: return "cyclic";
    case TriggerKind::continuous: return "continuous";
    case TriggerKind::on_bit: return "bit";
    case TriggerKind::on_change: return "change";
    case TriggerKind::on_start: return "start";
    case TriggerKind::on_return: return "return";
  }
  return {};
}

Json transaction_json(const ResolvedPlan& plan, const ResolvedTransaction& t) {
  const model::Transaction& declared = plan.declared(t);
  Json status = Json::object();
  for (const model::Status& s : t.status) {
    status[std::string(s.kind)] = plan.layouts[*t.controller].name_of(s.range);
  }
  Json out{{"name", declared.name},
           {"controller", plan.plan.controllers[*t.controller].name},
           {"slave", plan.target_name(*t.target)},
           {"function", number_of(*t.function)},
           {"read", block_json(plan, t, t.read, t.into)},
           {"write", block_json(plan, t, t.write, t.from)},
           {"when", trigger_name(t.trigger->kind)},
           {"relays", value_or(declared.relays, false)},
           {"status", status}};
  const bool cyclic = t.trigger->kind == TriggerKind::cyclic;
  out["period_ns"] = cyclic ? nanoseconds(t.trigger->period) : Json(nullptr);
  out["phase_ns"] = cyclic ? nanoseconds(t.trigger->phase) : Json(nullptr);
  out["min_gap_ns"] = !cyclic && t.trigger->period > model::Duration{}
                          ? nanoseconds(t.trigger->period)
                          : Json(nullptr);
  out["trigger"] =
      t.trigger->bit ? Json(plan.layouts[*t.controller].name_of(*t.trigger->bit)) : Json(nullptr);
  out["only_if"] = or_null(declared.only_if);
  out["on_loss"] = declared.on_loss ? Json(to_string(declared.on_loss->value)) : Json(nullptr);
  out["packing"] = nullptr;
  if (declared.packing) {
    out["packing"] = declared.packing->value == model::Packing::bits_to_words ? "bits-to-words"
                                                                              : "words-to-bits";
  }
  return out;
}

Json heartbeat_json(const ResolvedPlan& plan, const model::ResolvedHeartbeat& h) {
  const model::Heartbeat& d = plan.plan.heartbeats[h.declared];
  return {{"name", d.name},
          {"from", or_null(d.from)},
          {"bit", or_null(d.bit)},
          {"toggle_ns", nanoseconds(value_or(d.toggle, model::Duration{}))},
          {"to", or_null(d.to)},
          {"watch_ns", nanoseconds(value_or(d.watch, model::Duration{}))},
          {"react_ns", nanoseconds(value_or(d.react, model::Duration{}))},
          {"lost", value_or(d.lost, std::int64_t{0})},
          {"on_loss", d.on_loss ? Json(to_string(d.on_loss->value)) : Json(nullptr)}};
}

bool is_whole(const ResolvedTransaction& t) {
  return t.controller && t.target && t.function && t.trigger;
}

// Everything that decides what happens on the wire and in memory, and nothing else.
Json canonical_exchange(const ResolvedPlan& plan) {
  Json out{{"controllers", Json::array()}, {"lines", Json::array()},
           {"gateways", Json::array()},    {"slaves", Json::array()},
           {"copies", Json::array()},      {"transactions", Json::array()},
           {"heartbeats", Json::array()}};
  for (const auto& c : plan.plan.controllers) out["controllers"].push_back(controller_json(c));
  for (const auto& l : plan.plan.lines) out["lines"].push_back(line_json(l));
  for (const auto& g : plan.plan.gateways) out["gateways"].push_back(gateway_json(g));
  for (const auto& s : plan.plan.slaves) out["slaves"].push_back(slave_json(s));
  for (const ResolvedTransaction& t : plan.transactions) {
    if (is_whole(t)) out["transactions"].push_back(transaction_json(plan, t));
  }
  for (const auto& h : plan.heartbeats) out["heartbeats"].push_back(heartbeat_json(plan, h));
  for (const auto& c : plan.copies) {
    if (!c.controller || !c.from || !c.to) continue;
    const model::MemoryLayout& layout = plan.layouts[*c.controller];
    out["copies"].push_back({{"controller", layout.controller().name},
                             {"from", layout.name_of(*c.from)},
                             {"to", layout.name_of(*c.to)}});
  }
  return out;
}

std::string fingerprint_of_canonical(const Json& exchange) {
  // names may hold what is not UTF-8 only if a caller made them: replaced, never thrown
  return "sha256:" + sha256_hex(exchange.dump(-1, ' ', false, Json::error_handler_t::replace));
}

class CsvWriter {
 public:
  void row(const std::vector<std::string>& cells) {
    for (std::size_t i = 0; i < cells.size(); ++i) {
      if (i > 0) text_ += ',';
      const std::string& cell = cells[i];
      if (cell.find_first_of(",\"\r\n") == std::string::npos) {
        text_ += cell;
        continue;
      }
      std::string quoted(2 * cell.size() + 2, '\0');
      quoted.resize(csv_write(quoted.data(), quoted.size(), cell.data(), cell.size()));
      text_ += quoted;
    }
    text_ += "\r\n";  // RFC 4180
  }
  [[nodiscard]] std::string take() { return std::move(text_); }

 private:
  std::string text_;
};

std::string ms_cell(model::Duration d) {
  std::string text = model::in_ms(d);
  return text.substr(0, text.size() - 3);
}

}  // namespace

std::string fingerprint_of(const ResolvedPlan& resolved) {
  return fingerprint_of_canonical(canonical_exchange(resolved));
}

std::string exchange_json(const ResolvedPlan& resolved) {
  const Json exchange = canonical_exchange(resolved);
  nlohmann::ordered_json document;
  document["format"] = "greymet-exchange";
  document["version"] = format_version;
  document["title"] = value_or(resolved.plan.title, std::string());
  document["revision"] = value_or(resolved.plan.revision, std::string());
  document["fingerprint"] = fingerprint_of_canonical(exchange);
  document["exchange"] = exchange;
  return document.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace) + "\n";
}

std::string exchange_csv(const ResolvedPlan& resolved) {
  CsvWriter out;
  out.row({"order",          "name", "controller", "slave",     "unit",        "line",
           "host",           "port", "fc",         "read_area", "read_at",     "read_count",
           "read_reference", "into", "write_area", "write_at",  "write_count", "write_reference",
           "from",           "when", "period_ms",  "phase_ms",  "min_gap_ms",  "trigger",
           "on_loss"});
  std::size_t order = 0;
  for (const ResolvedTransaction& t : resolved.transactions) {
    if (!is_whole(t)) continue;
    const model::Transaction& declared = resolved.declared(t);
    const model::MemoryLayout& layout = resolved.layouts[*t.controller];
    std::vector<std::string> cells{fmt::format("{}", ++order), declared.name,
                                   layout.controller().name, resolved.target_name(*t.target)};
    std::string unit;
    if (!t.target->is_peer) {
      const model::Slave& slave = resolved.plan.slaves[t.target->index];
      unit = fmt::format("{}", value_or(slave.unit, defaults::tcp_unit));
    } else if (t.channel && t.channel->line) {
      const auto& answer = resolved.plan.controllers[t.target->index].answers[t.target->answer];
      unit = fmt::format("{}", value_or(answer.unit, std::int64_t{1}));
    } else {
      unit = fmt::format("{}", defaults::tcp_unit);
    }
    cells.push_back(unit);
    cells.push_back(t.channel && t.channel->line ? resolved.plan.lines[*t.channel->line].name : "");
    const bool tcp = t.channel && t.channel->connection;
    cells.push_back(tcp ? resolved.connections[*t.channel->connection].host : "");
    cells.push_back(tcp ? fmt::format("{}", resolved.connections[*t.channel->connection].port)
                        : "");
    cells.push_back(fmt::format("{}", number_of(*t.function)));
    for (const bool is_read : {true, false}) {
      const auto& block = is_read ? t.read : t.write;
      const auto& memory = is_read ? t.into : t.from;
      if (!block) {
        cells.insert(cells.end(), 5, "");
        continue;
      }
      const model::Address address{block->area, {static_cast<std::uint16_t>(block->offset)}};
      cells.emplace_back(short_name(block->area));
      cells.push_back(fmt::format("{}", block->offset));
      cells.push_back(fmt::format("{}", block->quantity));
      cells.push_back(reference6(address));
      cells.push_back(memory ? layout.name_of(*memory) : "");
    }
    const bool cyclic = t.trigger->kind == TriggerKind::cyclic;
    cells.emplace_back(trigger_name(t.trigger->kind));
    cells.push_back(cyclic ? ms_cell(t.trigger->period) : "");
    cells.push_back(cyclic ? ms_cell(t.trigger->phase) : "");
    cells.push_back(!cyclic && t.trigger->period > model::Duration{} ? ms_cell(t.trigger->period)
                                                                     : "");
    cells.push_back(t.trigger->bit ? layout.name_of(*t.trigger->bit) : "");
    cells.emplace_back(declared.on_loss ? to_string(declared.on_loss->value) : "");
    out.row(cells);
  }
  return out.take();
}

}  // namespace greymet::files
