// [controller.NAME] and the model file of a controller.
#include <fmt/format.h>

#include "decode_words.h"
#include "files/plan_decoder.h"

namespace greymet::files {

using model::Duration;
using model::Findings;
using model::MemoryKind;
using model::RuleCode;

namespace {

void check_service(TableReader& in, const model::MemoryArea& area) {
  for (const auto& text : area.serves) {
    const auto reading = model::read_address(text.value, model::Numbering::from_0);
    if (!reading || !reading->area || reading->offset >= model::addresses_per_area) {
      in.report(RuleCode::P05, text.place,
                fmt::format("`serves` is \"{}\"", text.value.text.substr(0, 40)),
                "write where peers find the first word, such as \"hr:0\"");
      continue;
    }
    if (is_bit_area(*reading->area) != (area.kind == MemoryKind::bit)) {
      in.report(
          RuleCode::P05, text.place,
          fmt::format("{} of {} cannot be served as {}s", area.name,
                      area.kind == MemoryKind::bit ? "bits" : "words", long_name(*reading->area)),
          area.kind == MemoryKind::bit ? "serve bits as \"co:0\" or \"di:0\""
                                       : "serve words as \"hr:0\" or \"ir:0\"");
    }
  }
}

model::MemoryArea decode_area(const Entry& entry, const model::Subject& subject,
                              Findings& findings) {
  TableReader in(entry.value, subject, findings);
  static constexpr std::array<std::pair<std::string_view, MemoryKind>, 2> kinds{
      {{"word", MemoryKind::word}, {"bit", MemoryKind::bit}}};
  model::MemoryArea area;
  area.name = model::trimmed(entry.key);
  area.place = entry.place;
  in.require("kind", "write kind = \"word\" or \"bit\"");
  in.require("count", "write how many words or bits there are: count = 8000");
  area.kind = model::value_or(in.choice<MemoryKind>("kind", kinds), MemoryKind::word);
  area.first = model::value_or(in.integer("first", 0, internal::most_memory), std::int64_t{0});
  area.count_declared = in.integer("count", 1, internal::most_memory);
  area.count = model::value_or(area.count_declared, std::int64_t{0});
  area.serves = in.addresses("serves");
  area.inside = in.text("inside");
  area.width = model::value_or(in.integer("width", 1, 16), std::int64_t{16});
  const auto radix = in.integer("radix", 8, 16);
  area.radix = static_cast<int>(model::value_or(radix, std::int64_t{10}));
  if (area.radix != 8 && area.radix != 10 && area.radix != 16) {
    in.report(RuleCode::P05, radix->place, fmt::format("`radix` is {}", area.radix),
              "write 8, 10 or 16");
    area.radix = 10;
  }
  check_service(in, area);
  in.finish();
  return area;
}

// A bit area inside a word area must lie within it.
void check_inside(const model::Controller& controller, const model::Subject& subject,
                  Findings& findings) {
  for (const model::MemoryArea& area : controller.memory) {
    if (!area.inside) continue;
    const auto report = [&](RuleCode rule, std::string message, std::string remedy) {
      findings.push_back({.rule = rule,
                          .severity = model::Severity::error,
                          .place = area.inside->place,
                          .subject = subject,
                          .message = std::move(message),
                          .remedy = std::move(remedy)});
    };
    const model::MemoryArea* parent = nullptr;
    for (const model::MemoryArea& other : controller.memory) {
      if (other.name == area.inside->value) parent = &other;
    }
    if (parent == nullptr) {
      report(RuleCode::P03, fmt::format("unknown memory '{}'", area.inside->value.substr(0, 40)),
             "name a word area of the same controller");
    } else if (parent->kind != MemoryKind::word || area.kind != MemoryKind::bit) {
      report(RuleCode::P05, fmt::format("{} cannot lie inside {}", area.name, parent->name),
             "only bits lie inside a word area");
    } else if (area.count > 0 &&
               (area.first / area.width < parent->first ||
                (area.first + area.count - 1) / area.width >= parent->first + parent->count)) {
      report(
          RuleCode::P05,
          fmt::format("{} has {} bits from {}, which do not all lie inside {}", area.name,
                      area.count, area.first, parent->name),
          fmt::format("bit n is bit n mod {0} of word n / {0} of {1}", area.width, parent->name));
    }
  }
}

model::Answer decode_answer(const Value& table, const model::Subject& subject, Findings& findings) {
  TableReader in(table, subject, findings);
  model::Answer answer;
  answer.place = table.place;
  answer.port = in.integer("port", 0, internal::most_port_written);
  answer.connections = in.integer("connections", 1, internal::most_connections);
  answer.allows = in.texts("allows");
  answer.timeout = in.duration("timeout", Duration(1));
  answer.retries = in.integer("retries", 0, internal::most_retries);
  answer.rtt = internal::read_delay(in, "rtt");
  answer.line = in.text("line");
  answer.unit = in.integer("unit", 0, 65535);
  if (answer.line && !answer.unit) in.require("unit", "write the unit it answers as: unit = 9");
  if (answer.line && answer.port) {
    in.report(RuleCode::P05, answer.port->place,
              "an answer is on a `line` or on a `port`, not both", "write two answers");
  }
  in.finish();
  return answer;
}

}  // namespace

model::Controller decode_controller(const std::string& name, const Value& table,
                                    Findings& findings) {
  const model::Subject subject = {model::SubjectKind::controller, name};
  TableReader in(table, subject, findings);
  model::Controller controller;
  controller.name = name;
  controller.place = table.place;
  static constexpr std::array<std::pair<std::string_view, model::Sends>, 2> sends{
      {{"anytime", model::Sends::anytime}, {"scan", model::Sends::scan}}};
  in.require("scan", "write the program's cycle: scan = \"10ms\"");
  controller.scan = in.duration("scan", Duration(1000));
  controller.router = in.flag("router");
  controller.in_flight = in.integer("in_flight", 1, internal::most_connections);
  controller.sends = in.choice<model::Sends>("sends", sends);
  controller.jitter = in.duration("jitter", Duration{});
  controller.address = in.text("address");
  controller.model_file = in.text("model");
  controller.word_order = internal::read_word_order(in);
  controller.tags_files = in.texts("tags");
  static constexpr std::array<std::pair<std::string_view, model::ToolCounts>, 5> counts{
      {{"from-0", model::ToolCounts::from_0},
       {"from-1", model::ToolCounts::from_1},
       {"reference", model::ToolCounts::reference},
       {"reference-6", model::ToolCounts::reference6},
       {"hex", model::ToolCounts::hex}}};
  controller.tool_counts = in.choice<model::ToolCounts>("tool_counts", counts);
  controller.tool_times = in.duration("tool_times", Duration(1000));
  controller.fingerprint = in.text("fingerprint");
  if (const Value* memory = in.table("memory")) {
    for (const Entry& entry : memory->entries) {
      if (entry.value.kind == ValueKind::refused) continue;
      if (entry.value.kind != ValueKind::table) {
        in.report(RuleCode::P05, entry.place,
                  fmt::format("memory `{}` is {}", entry.key, describe(entry.value.kind)),
                  "write \"%MW\" = { kind = \"word\", first = 0, count = 8000 }");
        continue;
      }
      controller.memory.push_back(decode_area(entry, subject, findings));
    }
    check_inside(controller, subject, findings);
  }
  for (const Value* answer : in.tables("answers")) {
    controller.answers.push_back(decode_answer(*answer, subject, findings));
  }
  in.finish();
  return controller;
}

model::ControllerModel decode_model(const std::string& file, const Value& table,
                                    Findings& findings) {
  const model::Subject subject = {model::SubjectKind::controller_model, file};
  TableReader in(table, subject, findings);
  model::ControllerModel out;
  out.file = file;
  out.protocols = in.texts("protocols");
  out.functions = in.integers("functions", 1, 127);
  out.max_transactions = in.integer("max_transactions", 0, internal::most_memory);
  out.max_words = in.integer("max_words", 0, internal::most_memory);
  out.max_slaves = in.integer("max_slaves", 0, internal::most_memory);
  out.max_connections = in.integer("max_connections", 0, internal::most_connections);
  out.period_step = in.duration("period_step", Duration(1));
  out.min_period = in.duration("min_period", Duration(1));
  out.align32 = in.flag("align32");
  out.series = in.text("series");
  if (const Value* needs = in.table("needs")) {
    TableReader sub(*needs, subject, findings);
    for (const Entry& entry : needs->entries) {
      if (const auto series = sub.text(entry.key)) {
        out.needs.push_back({{entry.key, entry.place}, *series});
      }
    }
  }
  in.finish();
  return out;
}

}  // namespace greymet::files
