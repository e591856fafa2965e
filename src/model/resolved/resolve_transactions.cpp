// Transactions: who asks whom, over which line, for what, when, and where it lies in memory.
#include <fmt/format.h>

#include "model/ip_address.h"
#include "model/resolved_plan.h"
#include "resolve_connections.h"
#include "resolve_internal.h"

namespace greymet::model::internal {
namespace {

class TransactionResolver {
 public:
  TransactionResolver(ResolvedPlan& resolved, const Names& names, Connections& connections,
                      std::vector<Unplaced>& unplaced, Findings& findings)
      : resolved_(resolved),
        names_(names),
        connections_(connections),
        unplaced_(unplaced),
        findings_(findings) {}

  void resolve(std::size_t index) {
    const Transaction& declared = resolved_.plan.transactions[index];
    Reporter report(findings_, subject_of(declared));
    ResolvedTransaction t;
    t.declared = index;
    t.relays = value_or(declared.relays, false);
    t.target = resolve_target(names_, declared, report);
    t.controller = resolve_controller(resolved_, names_, declared, t.target, report);
    if (t.target && t.controller) t.channel = resolve_channel(declared, t, report);
    resolve_what(declared, t, report);
    resolve_when(declared, t, report);
    if (t.controller) {
      resolve_memory(declared, t, report);
      resolve_status(declared, t, report);
    }
    if (!declared.constants.empty()) resolve_constants(resolved_, declared, t, report);
    resolved_.transactions.push_back(std::move(t));
  }

 private:
  std::optional<Channel> resolve_channel(const Transaction& declared, ResolvedTransaction& t,
                                         Reporter& report) {
    if (t.target->is_peer) return peer_channel(declared, t, report);
    const Slave& slave = resolved_.plan.slaves[t.target->index];
    if (const auto line = resolved_.slave_line[t.target->index]) return line_channel(*line, t);
    if (!slave.host || slave.line) return std::nullopt;
    Channel channel;
    channel.connection = connections_.of(*t.controller, slave.host->value,
                                         resolved_.exchange.slaves[t.target->index].port,
                                         slave.name, std::nullopt, slave.place);
    return channel;
  }

  std::optional<Channel> line_channel(LineIndex line, const ResolvedTransaction& t) {
    Channel channel;
    channel.line = line;
    channel.gateway = resolved_.line_gateway[line];
    if (channel.gateway) {
      const Gateway& gateway = resolved_.plan.gateways[*channel.gateway];
      if (!gateway.host) return std::nullopt;
      channel.connection = connections_.of(*t.controller, gateway.host->value,
                                           resolved_.exchange.gateways[*channel.gateway].port,
                                           gateway.name, channel.gateway, gateway.place);
    }
    return channel;
  }

  std::optional<Channel> peer_channel(const Transaction& declared, ResolvedTransaction& t,
                                      Reporter& report) {
    const Controller& peer = resolved_.plan.controllers[t.target->index];
    if (t.target->index == *t.controller) {
      report.error(RuleCode::P05, declared.slave->place,
                   fmt::format("controller {} asks itself", peer.name),
                   "name another controller, or a slave");
      return std::nullopt;
    }
    for (std::size_t i = 0; i < peer.answers.size(); ++i) {
      const auto& line = resolved_.answer_lines[t.target->index][i];
      if (!line) continue;
      if (resolved_.line_master[*line] == t.controller || resolved_.line_gateway[*line]) {
        t.target->answer = i;
        return line_channel(*line, t);
      }
    }
    for (std::size_t i = 0; i < peer.answers.size(); ++i) {
      if (peer.answers[i].line) continue;
      if (!peer.address) {
        report.error(RuleCode::P06, peer.place,
                     fmt::format("controller {} answers on TCP but has no `address`", peer.name),
                     "add address = \"<its address>/<length of its subnet>\" at the controller");
        return std::nullopt;
      }
      t.target->answer = i;
      Channel channel;
      channel.connection =
          connections_.of(*t.controller, host_of_address(peer.address->value),
                          resolved_.exchange.controllers[t.target->index].answers[i].port,
                          peer.name, std::nullopt, peer.place);
      return channel;
    }
    report.error(RuleCode::P06, declared.slave->place,
                 fmt::format("controller {} does not answer where {} could ask it", peer.name,
                             resolved_.plan.controllers[*t.controller].name),
                 fmt::format("add answers = [ {{ port = 502 }} ] to controller {}", peer.name));
    return std::nullopt;
  }

  void resolve_what(const Transaction& declared, ResolvedTransaction& t, Reporter& report) {
    if (declared.function) {
      t.function = function_code_from(declared.function->value);
      if (!t.function) {
        report.error(
            RuleCode::P05, declared.function->place,
            fmt::format("function code {} moves no registers or bits", declared.function->value),
            declared.function->value == 10 ? "" : "use one of 1, 2, 3, 4, 5, 6, 15, 16, 22, 23");
        // manuals print function codes in hexadecimal, too
        if (declared.function->value == 10) {
          add_fix(report.last(), {"write fc = 16: hexadecimal 10 is 16",
                                  {{declared.function->place, "16"}},
                                  false,
                                  true});
        }
        return;
      }
    }
    if (t.function == FunctionCode::read_write_multiple_registers) {
      resolve_read_write(declared, t, report);
      return;
    }
    if (declared.read || declared.write) {
      report.error(RuleCode::P05, (declared.read ? declared.read : declared.write)->place,
                   "`read` and `write` blocks belong to function 23 alone",
                   "write at, count and into (or from) at the transaction itself, or fc = 23");
      return;
    }
    if (declared.refused.contains("fc") || block_was_refused(declared.block)) return;
    if (goes_the_other_way(declared, t)) {
      report_direction(declared, *t.function, report);
      t.function.reset();  // what else it says of itself is not to be believed
      return;
    }
    if (declared.block.at.has_value() == declared.block.points.has_value()) {
      const bool both = declared.block.at.has_value();
      report.error(
          RuleCode::P08, both ? declared.block.points->place : declared.place,
          both ? "both `at` and `points` are given" : "neither `at` nor `points` is given",
          both ? "keep one of the two" : "add at = <address> and count = <n>, or points = [...]");
      return;
    }
    if (!declared.function && !declared.block.points) {
      report.error(RuleCode::P06, declared.place, "`fc` is missing",
                   "add the function code, e.g. fc = 3; only `points` can do without");
      return;
    }
    const bool is_read = t.function ? reads(*t.function) : declared.into.has_value();
    resolve_block(resolved_, declared, declared.block, is_read, t, report);
    resolve_swap(declared.block, is_read, t, report);
  }

  // Its only memory is that of the other direction.
  static bool goes_the_other_way(const Transaction& declared, const ResolvedTransaction& t) {
    if (!t.function) return false;
    const bool is_read = reads(*t.function);
    const auto& own = is_read ? declared.into : declared.from;
    const auto& other = is_read ? declared.from : declared.into;
    return other && !own && !declared.refused.contains(is_read ? "into" : "from");
  }

  static void report_direction(const Transaction& declared, FunctionCode function,
                               Reporter& report) {
    const bool is_read = reads(function);
    report.error(RuleCode::F01, declared.function->place,
                 is_read
                     ? fmt::format("function {} reads, and `from` says what is to be sent",
                                   number_of(function))
                     : fmt::format("function {} writes, and `into` says where what is read goes",
                                   number_of(function)),
                 is_read ? "look up the function: 16 or 6 write registers, 15 or 5 coils; or say "
                           "`into` if it is to be read"
                         : "look up the function: 3 and 4 read registers, 1 and 2 bits; or say "
                           "`from` if it is to be written",
                 {{(is_read ? declared.from : declared.into)->place, "the memory is here"}});
  }

  static void resolve_swap(const BlockText& block, bool is_read, ResolvedTransaction& t,
                           Reporter& report) {
    if (!block.swap) return;
    if (t.function && is_bit_area(traits_of(*t.function).area)) {
      report.error(RuleCode::P05, block.swap->place,
                   "`swap` has no effect here: it belongs to registers", "remove it");
      return;
    }
    (is_read ? t.read_swap : t.write_swap) = block.swap->value;
  }

  void resolve_read_write(const Transaction& declared, ResolvedTransaction& t, Reporter& report) {
    if (!declared.read || !declared.write) {
      report.error(RuleCode::P06, declared.place,
                   fmt::format("function 23 needs `{}`", declared.read ? "write" : "read"),
                   "write read = { at = 0, count = 4, into = \"%MW400\" }, "
                   "write = { at = 16, count = 2, from = \"%MW410\" }");
    }
    if (declared.block.at || declared.block.points || declared.into || declared.from ||
        declared.block.swap) {
      const Range place = declared.block.at     ? declared.block.at->place
                          : declared.block.swap ? declared.block.swap->place
                                                : declared.place;
      report.error(RuleCode::P05, place, "function 23 takes its addresses in `read` and `write`",
                   "move at, count, swap, into and from into read = { ... } and write = { ... }");
    }
    for (const bool is_read : {true, false}) {
      const auto& block = is_read ? declared.read : declared.write;
      if (!block) continue;
      if (!block->at && !block->points) {
        if (!block_was_refused(*block)) {
          report.missing("at", block->place, "`at` is missing", "add at = <address>");
        }
        continue;
      }
      resolve_block(resolved_, declared, *block, is_read, t, report);
      resolve_swap(*block, is_read, t, report);
    }
  }

  static bool block_was_refused(const BlockText& block) {
    return block.refused.contains("at") || block.refused.contains("points");
  }

  void resolve_when(const Transaction& declared, ResolvedTransaction& t, Reporter& report) {
    if (declared.refused.contains("every") || declared.refused.contains("on")) return;
    if (declared.every.has_value() == declared.on.has_value()) {
      if (declared.every) {
        report.error(RuleCode::P05, declared.on->place,
                     "both `every` and `on` are given: that is two jobs",
                     "keep one of the two, or write two transactions");
      } else {
        report.missing("every", declared.place, "neither `every` nor `on` says when it runs",
                       "add every = \"500ms\", every = \"continuous\", or on = \"%MX40\"");
      }
      return;
    }
    refuse_idle_key("phase", declared.phase, !declared.every || declared.every->value.continuous,
                    "a period", report);
    refuse_idle_key("min_gap", declared.min_gap, declared.every.has_value(), "`on`", report);
    Trigger trigger;
    trigger.phase = value_or(declared.phase, Duration{});
    if (declared.every) {
      trigger.place = declared.every->place;
      trigger.kind =
          declared.every->value.continuous ? TriggerKind::continuous : TriggerKind::cyclic;
      trigger.period = declared.every->value.period;
      t.trigger = trigger;
      return;
    }
    trigger.place = declared.on->place;
    trigger.kind = trigger_kind(declared.on->value);
    const bool spaced =
        trigger.kind == TriggerKind::on_bit || trigger.kind == TriggerKind::on_change;
    if (spaced && !declared.min_gap && declared.refused.contains("min_gap")) return;
    if (spaced && !declared.min_gap) {
      report.error(RuleCode::P06, declared.on->place,
                   "`min_gap` is missing: nothing else limits how often it runs",
                   "add the smallest spacing, e.g. min_gap = \"2s\"");
      return;
    }
    if (spaced) trigger.period = declared.min_gap->value;
    if (trigger.kind == TriggerKind::on_bit && t.controller) {
      trigger.bit = resolve_bit(resolved_.layouts[*t.controller], *declared.on, report);
    }
    t.trigger = trigger;
  }

  // A key without effect here would be ignored in silence.
  static void refuse_idle_key(std::string_view key, const Declared<Duration>& declared, bool idle,
                              std::string_view partner, Reporter& report) {
    if (!declared || !idle) return;
    report.error(RuleCode::P05, declared->place,
                 fmt::format("`{}` has no effect here: it belongs to {}", key, partner),
                 "remove it");
  }

  static TriggerKind trigger_kind(const std::string& on) {
    if (on == "change") return TriggerKind::on_change;
    if (on == "start") return TriggerKind::on_start;
    if (on == "return") return TriggerKind::on_return;
    return TriggerKind::on_bit;
  }

  void resolve_memory(const Transaction& declared, ResolvedTransaction& t, Reporter& report) {
    if (!t.function) return;
    const bool both = t.function == FunctionCode::read_write_multiple_registers;
    for (const bool is_into : {true, false}) {
      const bool wanted = is_into ? reads(*t.function) : writes(*t.function);
      const std::string_view key = is_into ? "into" : "from";
      const std::shared_ptr<const BlockText>& part = is_into ? declared.read : declared.write;
      const auto& text = both ? (part ? part->memory : std::optional<Located<std::string>>())
                              : (is_into ? declared.into : declared.from);
      if (!wanted && text) {
        report.error(RuleCode::P05, text->place,
                     fmt::format("function {} takes no `{}`", number_of(*t.function), key),
                     fmt::format("use `{}`", is_into ? "from" : "into"));
      }
      if (!wanted || (both && !part)) continue;
      const RefusedKeys& refused = both ? part->refused : declared.refused;
      if (!text && refused.contains(key)) continue;
      if (!text) {
        report.missing(key, both ? part->place : declared.place,
                       fmt::format("`{}` is missing", key),
                       is_into ? "say where the data goes, e.g. into = \"%MW100\""
                               : "say where the data comes from, e.g. from = \"%MW300\"");
        continue;
      }
      place_block(*text, is_into, t, report);
    }
  }

  // Words or bits that the block takes in memory of that kind.
  static std::int64_t size_in(MemoryKind kind, const ResolvedTransaction& t,
                              const DeviceBlock& block) {
    if (t.function == FunctionCode::mask_write_register) return kind == MemoryKind::word ? 2 : 32;
    const bool bits = is_bit_area(traits_of(*t.function).area);
    const std::int64_t n = block.quantity;
    if (kind == MemoryKind::word) return bits ? (n + 15) / 16 : n;
    return bits ? n : n * 16;
  }

  void place_block(const Located<std::string>& text, bool is_into, ResolvedTransaction& t,
                   Reporter& report) {
    const MemoryLayout& layout = resolved_.layouts[*t.controller];
    const auto& block = is_into ? t.read : t.write;
    const auto spot = layout.read(text.value);
    if (!spot) {
      report_memory_failure(spot.error(), text.place, report);
      return;
    }
    if (!block) return;
    auto& slot = is_into ? t.into : t.from;
    if (spot->bit) {
      if (is_bit_area(block->area) && block->quantity == 1) {
        slot = resolve_bit(layout, text, report);
        return;
      }
      report.error(RuleCode::P05, text.place,
                   fmt::format("'{}' names one bit, the block has {}", text.value, block->quantity),
                   "name the first word, or a bit area");
      return;
    }
    const std::int64_t count = size_in(layout.controller().memory[spot->area].kind, t, *block);
    if (!spot->number) {
      unplaced_.push_back(
          {*t.controller, spot->area, count, resolved_.transactions.size(), is_into, text.place});
      return;
    }
    const auto range = layout.range(spot->area, *spot->number, count);
    if (range) {
      slot = *range;
    } else {
      report_memory_failure(range.error(), text.place, report);
    }
  }

  void resolve_status(const Transaction& declared, ResolvedTransaction& t, Reporter& report) {
    const MemoryLayout& layout = resolved_.layouts[*t.controller];
    const auto add = [&](StatusKind kind, const Declared<std::string>& text) {
      if (!text) return;
      if (const auto range = resolve_bit_or_word(layout, *text, report)) {
        t.status.push_back({kind, *range, text->place});
      }
    };
    if (declared.status != nullptr) {
      add(StatusKind::busy, declared.status->busy);
      add(StatusKind::done, declared.status->done);
      add(StatusKind::failed, declared.status->failed);
      add(StatusKind::exception, declared.status->exception);
    }
    if (declared.only_if) t.gate = resolve_bit(layout, *declared.only_if, report);
  }

  ResolvedPlan& resolved_;
  const Names& names_;
  Connections& connections_;
  std::vector<Unplaced>& unplaced_;
  Findings& findings_;
};

}  // namespace

void resolve_transactions(ResolvedPlan& resolved, const Names& names,
                          std::vector<Unplaced>& unplaced, Findings& findings) {
  Connections connections(resolved);
  TransactionResolver resolver(resolved, names, connections, unplaced, findings);
  resolved.transactions.reserve(resolved.plan.transactions.size());
  for (std::size_t i = 0; i < resolved.plan.transactions.size(); ++i) resolver.resolve(i);
}

}  // namespace greymet::model::internal
