// [exchange], [supervision] and [review]: transactions and what is asked of them.
#include <limits>

#include <fmt/format.h>

#include "model/nearest_name.h"

#include "alike_slaves.h"
#include "decode_words.h"
#include "files/file_source.h"
#include "files/plan_decoder.h"

namespace greymet::files {

using model::Duration;
using model::Findings;
using model::RuleCode;
using model::Subject;
using model::SubjectKind;

namespace {

// `every`: "continuous" or a period.
model::Declared<model::Every> read_every(TableReader& in) {
  if (in.is_word("every", "continuous")) {
    return model::Located<model::Every>{{true, {}}, in.text("every")->place};
  }
  const auto period = in.duration("every", Duration(1000));
  if (!period) return std::nullopt;
  return model::Located<model::Every>{{false, period->value}, period->place};
}

model::BlockText read_block(TableReader& in) {
  model::BlockText block;
  block.place = in.place();
  block.at = in.address("at");
  // Any whole number is taken here: what one request can carry is for rules to say.
  block.count = in.integer("count", std::numeric_limits<std::int64_t>::min(),
                           std::numeric_limits<std::int64_t>::max());
  block.points = in.texts("points");
  block.swap = internal::read_word_order(in, "swap");
  block.refused = in.refused();
  return block;
}

std::shared_ptr<const model::BlockText> read_part(TableReader& in, std::string_view key,
                                                  std::string_view memory_key) {
  const Value* table = in.table(key);
  if (table == nullptr) return nullptr;
  TableReader sub(*table, in.subject(), in.findings());
  model::BlockText block = read_block(sub);
  block.memory = sub.text(memory_key);
  sub.finish();
  block.refused = sub.refused();
  return std::make_shared<const model::BlockText>(std::move(block));
}

std::shared_ptr<const model::StatusText> read_status(TableReader& in) {
  const Value* table = in.table("status");
  if (table == nullptr) return nullptr;
  model::StatusText status;
  TableReader sub(*table, in.subject(), in.findings());
  status.busy = sub.text("busy");
  status.done = sub.text("done");
  status.failed = sub.text("failed");
  status.exception = sub.text("exception");
  sub.finish();
  return std::make_shared<const model::StatusText>(std::move(status));
}

// A number, a text or true and false, as text.
std::optional<std::string> plain_text(const Value& value) {
  switch (value.kind) {
    case ValueKind::integer: return std::to_string(value.integer);
    case ValueKind::real: return fmt::format("{}", value.real);
    case ValueKind::boolean: return value.boolean ? "true" : "false";
    case ValueKind::text:
    case ValueKind::cell: return value.text;
    case ValueKind::date:
    case ValueKind::array:
    case ValueKind::table:
    case ValueKind::refused: break;
  }
  return std::nullopt;
}

// `value`: one for all, or by points.
std::vector<model::ConstantText> read_constants(TableReader& in) {
  std::vector<model::ConstantText> out;
  const Value* value = in.anything("value");
  if (value == nullptr) return out;
  constexpr std::string_view expected =
      "a value, as 1 or 33.5, or values by points: { speed = 33.5 }";
  const auto add = [&](const std::string& point, const Value& of) {
    if (auto text = plain_text(of)) {
      out.push_back({{point, of.place}, {std::move(*text), of.place}});
    } else {
      in.refuse(of, "value", expected);
    }
  };
  if (value->kind != ValueKind::table) {
    add({}, *value);
    return out;
  }
  for (const Entry& entry : value->entries) add(entry.key, entry.value);
  return out;
}

// Keys of [exchange] that slipped into the block above them.
std::string misplaced_key(std::string_view key) {
  if (key == "copies" || key == "wants" || key == "table") {
    return fmt::format("`{}` belongs above the first [[exchange.transactions]]", key);
  }
  return {};
}

Subject name_or_number(const Value& table, SubjectKind kind, std::size_t number) {
  const Value* name = table.find("name");
  const bool named = name != nullptr && !name->text.empty() && name->kind != ValueKind::integer;
  return {kind, named ? name->text : std::to_string(number)};
}

}  // namespace

model::Transaction decode_transaction(const Value& table, std::size_t number, Findings& findings) {
  TableReader in(table, name_or_number(table, SubjectKind::transaction, number), findings);
  static constexpr std::array<std::pair<std::string_view, model::Packing>, 2> packings{
      {{"bits-to-words", model::Packing::bits_to_words},
       {"words-to-bits", model::Packing::words_to_bits}}};
  model::Transaction out;
  out.place = table.place;
  in.require("name", "give it a name: findings, tables and figures use it");
  in.require("slave", "name the slave or controller that is asked");
  const auto name = in.text("name");
  out.name = name ? name->value : fmt::format("{}", number);
  if (name) out.place = name->place;
  out.controller = in.text("controller");
  out.slave = in.text("slave");
  out.function = in.integer("fc", 1, 127);
  out.block = read_block(in);
  out.into = in.text("into");
  out.from = in.text("from");
  out.read = read_part(in, "read", "into");
  out.write = read_part(in, "write", "from");
  out.every = read_every(in);
  out.on = in.text("on");
  out.phase = in.duration("phase", Duration{});
  out.phase_step = in.duration("phase_step", Duration{});
  out.min_gap = in.duration("min_gap", Duration(1));
  out.only_if = in.text("only_if");
  out.on_loss = internal::read_on_loss(in);
  out.status = read_status(in);
  out.packing = in.choice<model::Packing>("packing", packings);
  out.relays = in.flag("relays");
  out.alone = in.flag("alone");
  out.constants = read_constants(in);
  in.finish(misplaced_key);
  out.refused = in.refused();
  return out;
}

model::Copy decode_copy(const Value& table, std::size_t number, Findings& findings) {
  TableReader in(table, Subject{SubjectKind::copy, std::to_string(number)}, findings);
  model::Copy copy;
  copy.place = table.place;
  for (std::string_view key : {"from", "to"})
    in.require(key, "write from = \"%MW100\", to = \"%MW202\", count = 2");
  in.require("count", "write how many words or bits are copied: count = 2");
  copy.controller = in.text("controller");
  copy.from = in.text("from");
  copy.to = in.text("to");
  copy.count = in.integer("count", 1, internal::most_memory);
  in.finish();
  return copy;
}

model::Want decode_want(const Value& table, std::size_t number, Findings& findings) {
  TableReader in(table, Subject{SubjectKind::want, std::to_string(number)}, findings);
  model::Want want;
  want.number = number;
  want.place = table.place;
  in.require("slave", "name the slave");
  in.require("points", "name the points: points = [\"*_power\"]");
  const bool writes = table.find("from") != nullptr;
  const bool triggered = writes && table.find("on") != nullptr;
  if (!triggered) in.require("every", "write how often: every = \"1s\"");
  want.slave = in.text("slave");
  want.points = in.texts("points");
  want.every = in.duration("every", Duration(1000));
  want.into = in.text("into");
  want.from = in.text("from");
  want.on = in.text("on");
  want.min_gap = in.duration("min_gap", Duration(1));
  want.only_if = in.text("only_if");
  want.controller = in.text("controller");
  want.on_loss = internal::read_on_loss(in);
  const auto refuse = [&](std::string_view key, std::string_view why, std::string_view remedy) {
    if (const Value* found = table.find(key)) {
      in.report(RuleCode::P05, found->place, fmt::format("`{}` {}", key, why), std::string(remedy));
    }
  };
  if (writes) {
    refuse("into", "is where what is read goes, and `from` what is written",
           "make two wants of it, one that reads and one that writes");
    refuse("on_loss", "is of values that are read", "remove it, or read the points back");
    if (triggered) refuse("every", "and `on` do not go together", "keep one of them");
  } else {
    for (const std::string_view key : {"on", "min_gap", "only_if"}) {
      refuse(key, "belongs to a want that writes", "add from = \"%MW100\", or remove it");
    }
  }
  in.finish();
  return want;
}

model::Heartbeat decode_heartbeat(const Value& table, std::size_t number, Findings& findings) {
  TableReader in(table, name_or_number(table, SubjectKind::heartbeat, number), findings);
  model::Heartbeat out;
  out.place = table.place;
  for (std::string_view key : {"name", "from", "bit", "toggle", "to", "watch", "react"}) {
    in.require(key, "a heartbeat needs name, from, bit, toggle, to, watch and react");
  }
  const auto name = in.text("name");
  out.name = name ? name->value : fmt::format("{}", number);
  if (name) out.place = name->place;
  out.from = in.text("from");
  out.bit = in.text("bit");
  out.toggle = in.duration("toggle", Duration(1000));
  out.to = in.text("to");
  out.seen = in.text("seen");
  out.watch = in.duration("watch", Duration(1000));
  out.react = in.duration("react", Duration(1000));
  out.lost = in.integer("lost", 0, internal::most_retries);
  out.on_loss = internal::read_on_loss(in);
  in.finish();
  return out;
}

model::Path decode_path(const Value& table, std::size_t number, Findings& findings) {
  TableReader in(table, name_or_number(table, SubjectKind::path, number), findings);
  model::Path out;
  out.place = table.place;
  for (std::string_view key : {"name", "from", "to", "budget"}) {
    in.require(key, "a path needs name, from, to and budget");
  }
  const auto name = in.text("name");
  out.name = name ? name->value : fmt::format("{}", number);
  if (name) out.place = name->place;
  out.from = in.text("from");
  out.to = in.text("to");
  out.budget = in.duration("budget", Duration(1000));
  in.finish();
  return out;
}

model::Accept decode_accept(const Value& table, std::size_t number, Findings& findings) {
  TableReader in(table, Subject{SubjectKind::accept, std::to_string(number)}, findings);
  model::Accept out;
  out.place = table.place;
  for (std::string_view key : {"rule", "at", "why"}) {
    in.require(key, "an accept names its rule and subject and gives a reason");
  }
  out.rule = in.text("rule");
  out.at = in.text("at");
  out.why = in.text("why");
  in.finish();
  if (out.rule && !model::rule_code_from(out.rule->value)) {
    std::vector<std::string_view> known;
    for (const RuleCode code : model::all_rule_codes()) known.push_back(to_string(code));
    const auto nearest = model::nearest_name(out.rule->value, known);
    in.report(RuleCode::P05, out.rule->place,
              fmt::format("'{}' is no code of a rule", out.rule->value.substr(0, 40)),
              nearest ? fmt::format("write '{}'; docs/rules.md lists them all", *nearest)
                      : "write a letter and two digits, such as rule = \"M02\"");
    out.rule.reset();
  }
  return out;
}

namespace {

void report_surplus(model::Range place, std::string_view what, std::size_t count,
                    Findings& findings) {
  findings.push_back({.rule = RuleCode::P05,
                      .severity = model::Severity::error,
                      .place = place,
                      .subject = {},
                      .message = fmt::format("{} {}: at most {} are read", count, what, most_rows),
                      .remedy = "split the plan"});
}

template <class Decode>
void decode_named(TableReader& in, std::string_view kind, Findings& findings,
                  const Decode& decode) {
  const Value* tables = in.table(kind);
  if (tables == nullptr) return;
  std::size_t count = 0;
  for (const Entry& entry : tables->entries) {
    if (++count > most_rows) {
      return report_surplus(entry.place, fmt::format("tables [{}.*]", kind), tables->entries.size(),
                            findings);
    }
    if (entry.value.kind == ValueKind::table) {
      decode(std::string(model::trimmed(entry.key)), entry.value);
      continue;
    }
    if (entry.value.kind == ValueKind::refused) continue;
    findings.push_back({.rule = RuleCode::P05,
                        .severity = model::Severity::error,
                        .place = entry.place,
                        .subject = {},
                        .message = fmt::format("'{}' is {}, not a table", entry.key.substr(0, 60),
                                               describe(entry.value.kind)),
                        .remedy = "write it as a table of its own, e.g. [slave.moisture]"});
  }
}

template <class T, class Decode>
std::vector<T> decode_list(Value& section, TableReader& in, std::string_view key,
                           const Decode& decode) {
  std::vector<T> out;
  const auto tables = in.tables(key);
  if (tables.empty()) return out;
  out.reserve(std::min(tables.size(), most_rows));
  for (Value& item : section.find(key)->items) {
    if (out.size() == tables.size() || &item != tables[out.size()]) continue;
    if (out.size() == most_rows) {
      report_surplus(item.place, fmt::format("entries of `{}`", key), tables.size(), in.findings());
      break;
    }
    out.push_back(decode(item, out.size() + 1, in.findings()));
    item = Value{};
  }
  return out;
}

}  // namespace

model::Plan decode_plan(Value root, model::Declared<std::string>& table_file, Findings& findings) {
  model::Plan plan;
  TableReader in(root, {}, findings);
  if (const Value* table = in.table("plan")) {
    TableReader sub(*table, {}, findings);
    plan.title = sub.text("title");
    plan.revision = sub.text("revision");
    sub.finish();
  }
  decode_named(in, "controller", findings, [&](const std::string& name, const Value& table) {
    plan.controllers.push_back(decode_controller(name, table, findings));
  });
  decode_named(in, "line", findings, [&](const std::string& name, const Value& table) {
    plan.lines.push_back(decode_line(name, table, findings));
  });
  decode_named(in, "gateway", findings, [&](const std::string& name, const Value& table) {
    plan.gateways.push_back(decode_gateway(name, table, findings));
  });
  if (in.table("slave") != nullptr) {
    internal::unfold_slaves(*root.find("slave"), plan.alike, findings);
  }
  decode_named(in, "slave", findings, [&](const std::string& name, const Value& table) {
    plan.slaves.push_back(decode_slave(name, table, findings));
  });
  if (in.table("exchange") != nullptr) {
    Value& table = *root.find("exchange");
    TableReader sub(table, {SubjectKind::exchange}, findings);
    table_file = sub.text("table");
    plan.transactions =
        decode_list<model::Transaction>(table, sub, "transactions", decode_transaction);
    plan.copies = decode_list<model::Copy>(table, sub, "copies", decode_copy);
    plan.wants = decode_list<model::Want>(table, sub, "wants", decode_want);
    sub.finish();
  }
  if (in.table("supervision") != nullptr) {
    Value& table = *root.find("supervision");
    TableReader sub(table, {SubjectKind::supervision}, findings);
    plan.heartbeats = decode_list<model::Heartbeat>(table, sub, "heartbeats", decode_heartbeat);
    plan.paths = decode_list<model::Path>(table, sub, "paths", decode_path);
    sub.finish();
  }
  if (in.table("review") != nullptr) {
    Value& table = *root.find("review");
    TableReader sub(table, {SubjectKind::review}, findings);
    plan.accepts = decode_list<model::Accept>(table, sub, "accepts", decode_accept);
    sub.finish();
  }
  in.finish();
  return plan;
}

}  // namespace greymet::files
