// [line.NAME], [gateway.NAME] and [slave.NAME].
#include <algorithm>
#include <array>

#include <fmt/format.h>

#include "decode_words.h"
#include "files/plan_decoder.h"
#include "model/ascii_text.h"

namespace greymet::files {

using internal::most_connections;
using internal::most_limit;
using internal::most_retries;
using internal::read_delay;
using model::Duration;
using model::Findings;

namespace {

// The standard's limit for a silence inside an RTU frame (V1.02 2.5.1.1), in characters.
constexpr double most_character_gap = 1.5;

template <class E>
using Words = std::pair<std::string_view, E>;

model::Declared<model::Park> read_park(TableReader& in) {
  const Value* table = in.table("park");
  if (table == nullptr) return std::nullopt;
  TableReader sub(*table, in.subject(), in.findings());
  sub.require("after", "write park = { after = 3, retry = \"10s\" }");
  sub.require("retry", "write park = { after = 3, retry = \"10s\" }");
  const auto after = sub.integer("after", 1, 1'000'000);
  const auto retry = sub.duration("retry", Duration(1));
  sub.finish();
  if (!after || !retry) return std::nullopt;
  return model::Located<model::Park>{{after->value, retry->value}, table->place};
}

void read_tcp_keys(TableReader& in, model::Slave& slave) {
  static constexpr std::array<Words<model::Connect>, 2> connects{
      {{"keep", model::Connect::keep}, {"each", model::Connect::each}}};
  slave.host = in.text("host");
  slave.port = in.integer("port", 0, internal::most_port_written);
  slave.timeout = in.duration("timeout", Duration(1));
  slave.retries = in.integer("retries", 0, most_retries);
  slave.connect_timeout = in.duration("connect_timeout", Duration(1));
  slave.retransmission = in.duration("retransmission", Duration(1));
  slave.routed = in.flag("routed");
  slave.rtt = read_delay(in, "rtt");
  slave.connections = in.integer("connections", 1, most_connections);
  slave.idle = in.duration("idle", Duration(1));
  slave.connect = in.choice<model::Connect>("connect", connects);
  slave.in_flight = in.integer("in_flight", 1, most_connections);
}

// Keys of a TCP slave on one that hangs on a line would be ignored in silence.
void refuse_tcp_keys_on_a_line(TableReader& in, const model::Slave& slave) {
  if (!slave.line || slave.host) return;
  const auto refuse = [&in](std::string_view key, const auto& declared, std::string_view remedy) {
    if (!declared) return;
    in.report(model::RuleCode::P05, declared->place,
              fmt::format("`{}` belongs to slaves with a `host`", key), std::string(remedy));
  };
  const std::string_view line = "write it at the line, or at its gateway";
  refuse("port", slave.port, line);
  refuse("timeout", slave.timeout, line);
  refuse("retries", slave.retries, line);
  refuse("connect_timeout", slave.connect_timeout, line);
  refuse("retransmission", slave.retransmission,
         "remove it: on a line a lost frame costs its timeout");
  refuse("rtt", slave.rtt, line);
  refuse("connections", slave.connections, line);
  refuse("idle", slave.idle, line);
  refuse("connect", slave.connect, line);
  refuse("in_flight", slave.in_flight, line);
}

}  // namespace

model::Line decode_line(const std::string& name, const Value& table, Findings& findings) {
  TableReader in(table, {model::SubjectKind::line, name}, findings);
  static constexpr std::array<Words<model::Medium>, 3> media{{{"rs485", model::Medium::rs485},
                                                              {"rs422", model::Medium::rs422},
                                                              {"rs232", model::Medium::rs232}}};
  static constexpr std::array<Words<model::Order>, 2> orders{
      {{"due", model::Order::due}, {"list", model::Order::list}}};
  model::Line line;
  line.name = name;
  line.place = table.place;
  line.master = in.text("master");
  line.via = in.text("via");
  line.port = in.text("port");
  line.medium = in.choice<model::Medium>("medium", media);
  in.require("mode", "write mode = \"rtu\" or \"ascii\"");
  in.require("baud", "write the line's rate: baud = 19200");
  in.require("format", "write data bits, parity and stop bits: format = \"8E1\"");
  internal::read_serial_settings(in, line.settings);
  line.timeout = in.duration("timeout", Duration(1));
  line.retries = in.integer("retries", 0, most_retries);
  line.pause = in.duration("pause", Duration{});
  line.turnaround = in.duration("turnaround", Duration{});
  static constexpr std::array<Words<model::TimeoutTo>, 2> ends{
      {{"first", model::TimeoutTo::first}, {"last", model::TimeoutTo::last}}};
  line.timeout_to = in.choice<model::TimeoutTo>("timeout_to", ends);
  line.latency = read_delay(in, "latency");
  line.character_gap = in.number("character_gap", 0, most_character_gap);
  if (line.via && line.latency) {
    in.report(model::RuleCode::P05, line.latency->place,
              "`latency` belongs to lines with a `master`", "write it as `delay` of the gateway");
  }
  line.order = in.choice<model::Order>("order", orders);
  line.park = read_park(in);
  line.length_m = in.number("length_m", 0, 100'000);
  line.stub_m = in.number("stub_m", 0, 100'000);
  in.finish();
  line.refused = in.refused();
  return line;
}

model::Gateway decode_gateway(const std::string& name, const Value& table, Findings& findings) {
  TableReader in(table, {model::SubjectKind::gateway, name}, findings);
  static constexpr std::array<Words<model::GatewayFraming>, 2> framings{
      {{"tcp", model::GatewayFraming::tcp}, {"rtu", model::GatewayFraming::rtu}}};
  model::Gateway gateway;
  gateway.name = name;
  gateway.place = table.place;
  in.require("host", "write the address that is set at the box: host = \"<address>\"");
  gateway.host = in.text("host");
  gateway.port = in.integer("port", 0, internal::most_port_written);
  gateway.timeout = in.duration("timeout", Duration(1));
  gateway.retries = in.integer("retries", 0, most_retries);
  gateway.connections = in.integer("connections", 1, most_connections);
  gateway.in_flight = in.integer("in_flight", 1, most_connections);
  gateway.framing = in.choice<model::GatewayFraming>("framing", framings);
  static constexpr std::array<Words<model::OnSilence>, 2> silences{
      {{"exception", model::OnSilence::exception}, {"nothing", model::OnSilence::nothing}}};
  gateway.on_silence = in.choice<model::OnSilence>("on_silence", silences);
  gateway.delay = read_delay(in, "delay");
  gateway.rtt = read_delay(in, "rtt");
  if (gateway.framing && gateway.framing->value == model::GatewayFraming::rtu &&
      gateway.on_silence && gateway.on_silence->value == model::OnSilence::exception) {
    in.report(
        model::RuleCode::P05, gateway.on_silence->place,
        "a transparent gateway (framing = \"rtu\") hands on what slaves say, and says nothing "
        "for them",
        "leave out `on_silence`, or write framing = \"tcp\"");
  }
  in.finish();
  gateway.refused = in.refused();
  return gateway;
}

namespace {

// What is assumed has to stand there: a key that is left out has a default, of which family A
// speaks.
void check_assumed(TableReader& in, const model::Slave& slave) {
  if (!slave.assumed) return;
  const std::array<std::pair<std::string_view, bool>, 11> keys{
      {{"numbering", slave.numbering.has_value()},
       {"word_order", slave.word_order.has_value()},
       {"map_covers", slave.map_covers.has_value()},
       {"holes", slave.holes.has_value()},
       {"reply", slave.reply.has_value()},
       {"functions", slave.functions.has_value()},
       {"max_read", slave.max_read.has_value()},
       {"max_write", slave.max_write.has_value()},
       {"max_read_bits", slave.max_read_bits.has_value()},
       {"max_write_bits", slave.max_write_bits.has_value()},
       {"unit", slave.unit.has_value()}}};
  for (const auto& key : slave.assumed->value) {
    const auto at = std::find_if(keys.begin(), keys.end(),
                                 [&](const auto& each) { return each.first == key.value; });
    if (at != keys.end() && at->second) continue;
    std::string stated;
    for (const auto& [name, is] : keys) {
      if (is) stated += fmt::format("{}\"{}\"", stated.empty() ? "" : ", ", name);
    }
    in.report(model::RuleCode::P05, key.place,
              fmt::format("`assumed` names \"{}\", which the slave does not state",
                          model::quoted_start(key.value)),
              stated.empty() ? "leave `assumed` out"
                             : fmt::format("name what was never confirmed of {}", stated));
  }
}

}  // namespace

model::Slave decode_slave(const std::string& name, const Value& table, Findings& findings) {
  TableReader in(table, {model::SubjectKind::slave, name}, findings);
  using model::Holes;
  using model::MapCovers;
  using model::Numbering;
  using model::WatchdogBy;
  static constexpr std::array<Words<Numbering>, 3> numberings{
      {{"from-0", Numbering::from_0},
       {"from-1", Numbering::from_1},
       {"reference", Numbering::reference}}};
  static constexpr std::array<Words<MapCovers>, 2> covers{
      {{"all", MapCovers::all}, {"some", MapCovers::some}}};
  static constexpr std::array<Words<Holes>, 3> holes{
      {{"refuse", Holes::refuse}, {"zero", Holes::zero}, {"unknown", Holes::unknown}}};
  static constexpr std::array<Words<WatchdogBy>, 2> feeders{
      {{"any", WatchdogBy::any}, {"writes", WatchdogBy::writes}}};
  model::Slave slave;
  slave.name = name;
  slave.place = table.place;
  slave.line = in.text("line");
  slave.unit = in.integer("unit", 0, 65535);
  slave.map_file = in.text("map");
  slave.numbering = in.choice<Numbering>("numbering", numberings);
  slave.word_order = internal::read_word_order(in);
  slave.reply = read_delay(in, "reply", true);
  slave.scans = in.duration("scans", Duration{});
  slave.character_gap = in.number("character_gap", 0, most_character_gap);
  if (const Value* settings = in.table("settings")) {
    TableReader sub(*settings, in.subject(), findings);
    internal::read_serial_settings(sub, slave.settings);
    sub.finish();
  }
  slave.functions = in.integers("functions", 1, 127);
  slave.max_read = in.integer("max_read", 1, most_limit);
  slave.max_write = in.integer("max_write", 1, most_limit);
  slave.max_read_bits = in.integer("max_read_bits", 1, most_limit);
  slave.max_write_bits = in.integer("max_write_bits", 1, most_limit);
  slave.map_covers = in.choice<MapCovers>("map_covers", covers);
  slave.holes = in.choice<Holes>("holes", holes);
  slave.watchdog = in.duration("watchdog", Duration(1));
  slave.watchdog_by = in.choice<WatchdogBy>("watchdog_by", feeders);
  slave.unit_load = in.number("unit_load", 0, 32);
  slave.pause = in.duration("pause", Duration{});
  read_tcp_keys(in, slave);
  if (slave.host && slave.character_gap) {
    in.report(model::RuleCode::P05, slave.character_gap->place,
              "`character_gap` belongs to slaves on a `line`", "remove it");
  }
  refuse_tcp_keys_on_a_line(in, slave);
  slave.assumed = in.texts("assumed");
  // of slaves that are alike: read before, by alike_slaves.h
  for (const std::string_view key : {"like", "count", "counts", "offset"}) {
    static_cast<void>(in.anything(key));
  }
  check_assumed(in, slave);
  in.finish();
  slave.refused = in.refused();
  return slave;
}

}  // namespace greymet::files
