#include "descriptions.h"

#include <algorithm>
#include <charconv>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "checks/catalogue.h"
#include "editor/features.h"
#include "markdown.h"
#include "modbus/planned_frames.h"
#include "model/address_lookup.h"
#include "model/duration_text.h"
#include "model/facts.h"
#include "model/free_memory.h"
#include "model/manual_beside.h"
#include "model/memory_use.h"
#include "model/utf8_text.h"
#include "timing/transaction_times.h"

namespace greymet::editor {

using internal::as_code;
using internal::as_words;
using model::SubjectKind;

namespace {

constexpr std::size_t most_listed = 12;

// "a, b and 3 more"
std::string some_of(const std::vector<std::string>& names) {
  std::string text;
  for (std::size_t i = 0; i < std::min(names.size(), most_listed); ++i) {
    text += fmt::format("{}{}", text.empty() ? "" : ", ", as_code(names[i]));
  }
  if (names.size() > most_listed) text += fmt::format(" and {} more", names.size() - most_listed);
  return text;
}

std::string block_text(const model::ResolvedPlan& plan, const model::Target& target,
                       const model::DeviceBlock& block) {
  const model::Address first{block.area, model::Offset{static_cast<std::uint16_t>(block.offset)}};
  const std::string manual = model::manual_beside(plan, target, first);
  return fmt::format("{}{}", model::range_text(block.area, block.extent()),
                     manual.empty() ? std::string() : fmt::format(" (manual: {})", manual));
}

// Facts of one owner, "reply 10ms typical, 50ms at most: assumed".
std::string facts_text(const PlanView& view, model::FactOwner owner, std::size_t index) {
  std::string text;
  for (const model::Fact& fact : view.plan().exchange.ledger.facts()) {
    if (fact.id.owner != owner || fact.id.index != index) continue;
    const model::FactTraits& traits = model::traits_of(fact.id.kind);
    if (fact.basis == model::Basis::stated) continue;
    text +=
        fmt::format("- {}: {}, {}{}\n", as_code(traits.key),
                    model::fact_text(fact.id.kind, fact.value), to_string(fact.basis),
                    fact.basis == model::Basis::assumed
                        ? fmt::format(" ({}); {}", as_words(traits.why), as_words(traits.settle))
                        : " on " + view.reading().measured_on);
  }
  return text;
}

std::string slave_markdown(const PlanView& view, std::size_t slave) {
  const model::ResolvedPlan& plan = view.plan();
  const model::ExchangeSlave& own = plan.exchange.slaves[model::SlaveIndex(slave)];
  const model::Slave& declared = plan.plan.slaves[slave];
  std::string text = fmt::format("**slave {}**", as_code(own.name));
  if (own.line) text += " on line " + as_code(plan.plan.lines[*own.line].name);
  if (own.host) text += fmt::format(" at {}:{}", as_code(*own.host), own.port);
  if (own.unit) text += fmt::format(", unit {}", own.unit->value);
  text += fmt::format("\n\n- counts {}; word order {}\n- map: {}; answers in {}\n",
                      to_string(own.numbering),
                      declared.word_order ? std::string(to_string(declared.word_order->value))
                                          : std::string("not stated"),
                      declared.map_file ? as_code(declared.map_file->value) : std::string("none"),
                      model::fact_text(model::FactKind::reply, own.reply));
  text += facts_text(view, model::FactOwner::slave, slave);
  std::vector<std::string> talk;
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    if (!t.target.is_peer && t.target.index == slave) talk.push_back(t.name);
  }
  text += talk.empty() ? "\nno transaction asks it\n" : "\nasked by " + some_of(talk) + "\n";
  return text;
}

const timing::LineReport* report_of_line(const PlanView& view, std::string_view name) {
  const auto& timing = view.reading().timing;
  if (!timing) return nullptr;
  const auto at = std::find_if(timing->lines.begin(), timing->lines.end(),
                               [&](const timing::LineReport& line) { return line.name == name; });
  return at == timing->lines.end() ? nullptr : &*at;
}

std::string line_markdown(const PlanView& view, std::size_t line) {
  const model::ResolvedPlan& plan = view.plan();
  const std::string& name = plan.plan.lines[line].name;
  std::string text = fmt::format("**line {}**", as_code(name));
  if (const timing::LineReport* const report = report_of_line(view, name)) {
    text += fmt::format(", {}\n\n{:.1f} % of its time used{}\n", as_words(report->description),
                        report->utilisation_percent,
                        report->overloaded() ? ": more than there is" : "");
  } else {
    text += "\n\n";
  }
  std::vector<std::string> slaves;
  for (std::size_t s = 0; s < plan.plan.slaves.size(); ++s) {
    const auto& own = plan.slave_line[model::SlaveIndex(s)];
    if (own && own->value == line) slaves.push_back(plan.plan.slaves[s].name);
  }
  if (!slaves.empty()) text += "\nslaves: " + some_of(slaves) + "\n";
  const std::string facts = facts_text(view, model::FactOwner::line, line);
  return facts.empty() ? text : text + "\n" + facts;
}

std::string controller_markdown(const PlanView& view, std::size_t controller) {
  const model::Controller& own = view.plan().plan.controllers[controller];
  std::vector<std::string> asks;
  for (const model::ExchangeTransaction& t : view.plan().exchange.transactions) {
    if (t.controller == controller) asks.push_back(t.name);
  }
  std::string text = fmt::format("**controller {}**{}\n\n", as_code(own.name),
                                 own.scan ? ", scan " + to_text(own.scan->value) : std::string());
  for (const model::MemoryArea& area : own.memory) {
    text += fmt::format("- {}: {} {} from {}\n", as_code(area.name), area.count,
                        area.kind == model::MemoryKind::word ? "words" : "bits", area.first);
  }
  text += asks.empty() ? "\nasks nobody\n" : "\nasks by " + some_of(asks) + "\n";
  return text + facts_text(view, model::FactOwner::controller, controller);
}

}  // namespace

namespace internal {

std::string address_markdown(const PlanView& view, std::string_view word, std::size_t slave,
                             std::string_view function) {
  const model::Slave& own = view.plan().plan.slaves[slave];
  std::int64_t number = 0;
  (void)std::from_chars(function.data(), function.data() + function.size(), number);
  const auto code = model::function_code_from(number);
  const auto area = code ? std::optional(model::traits_of(*code).area) : std::nullopt;
  const auto found = model::look_up_address(word, &view.plan(), own.name, area);
  if (!found) return as_words(found.error().message);
  std::string text = fmt::format("**{}** of {}\n\n", as_code(word), as_code(own.name));
  text += "| read as | address | hex | from 1 | 6 digits | there |\n|---|---|---|---|---|---|\n";
  for (const model::AddressAnswer& answer : found->answers) {
    std::vector<std::string> there;
    for (const std::string& point : answer.points) there.push_back(as_code(point));
    for (const std::string& tag : answer.tags) there.push_back("tag " + as_code(tag));
    std::string address = to_text(answer.address);
    if (answer.bit) address += fmt::format(".{}", *answer.bit);
    const auto offset = answer.address.offset.value;
    text +=
        fmt::format("| {}{} | {} | 0x{:04X} | {} | {} | {} |\n", as_words(answer.how),
                    answer.planned.empty() ? "" : " (the plan reads it so)", address, offset,
                    std::uint32_t{offset} + 1, reference6(answer.address), fmt::join(there, ", "));
  }
  for (const std::string& doubt : found->doubts) text += "\nambiguous: " + as_words(doubt) + "\n";
  return text;
}

std::string point_markdown(const PlanView& view, std::size_t slave, const model::Point& point) {
  const model::ResolvedPlan& plan = view.plan();
  const std::string name = plan.plan.slaves[slave].name + "." + point.name;
  const auto offset = point.address.offset.value;
  std::string text = fmt::format("**{}** {}, {}{}\n\n{} (0x{:04X}, from 1: {}, {}){}\n",
                                 as_code(name), to_text(point.type),
                                 point.access == model::Access::read    ? "read only"
                                 : point.access == model::Access::write ? "written only"
                                                                        : "read and written",
                                 point.unit.empty() ? "" : ", in " + as_words(point.unit),
                                 model::range_text(point.address.area, model::extent_of(point)),
                                 offset, std::uint32_t{offset} + 1, reference6(point.address),
                                 point.bit ? fmt::format(", bit {}", *point.bit) : std::string());
  const std::string manual = plan.manual_address(slave, point.address);
  text += fmt::format("\nmanual: {}\n", manual);
  if (point.min || point.max) {
    text += fmt::format("\nrange: {} to {}\n",
                        point.min ? model::shortest_digits(*point.min) : std::string("?"),
                        point.max ? model::shortest_digits(*point.max) : std::string("?"));
  }
  if (!point.names.empty()) text += "\n" + as_words(model::names_text(point.names)) + "\n";
  std::vector<std::string> carried;
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    if (t.target.is_peer || t.target.index != slave) continue;
    const auto holds = [&](const std::optional<model::DeviceBlock>& block) {
      return block && block->area == point.address.area && block->offset <= offset &&
             offset < block->offset + block->quantity;
    };
    if (holds(t.read) || holds(t.write)) carried.push_back(t.name);
  }
  text += carried.empty() ? "\nno transaction moves it\n" : "\nmoved by " + some_of(carried) + "\n";
  return text;
}

std::string memory_markdown(const PlanView& view, const MemoryPlace& place) {
  const model::ResolvedPlan& plan = view.plan();
  const auto& layout = plan.layouts[model::ControllerIndex(place.controller)];
  std::string text = fmt::format("**{}** of {}{}\n\n", as_code(layout.name_of(place.range)),
                                 as_code(plan.plan.controllers[place.controller].name),
                                 place.range.assigned ? " (place chosen by the program)" : "");
  const auto all = model::memory_uses(plan);
  std::size_t more = 0;
  std::size_t told = 0;
  for (const model::MemoryUse& use : all[model::ControllerIndex(place.controller)]) {
    if (!model::overlap(use.bits, place.range.bits)) continue;
    if (++told > most_listed) {
      ++more;
      continue;
    }
    text += fmt::format("- {} {}: {}\n", as_code(layout.name_of(use.bits)), to_string(use.purpose),
                        as_words(to_text(model::owner_subject(plan, use))));
  }
  if (more > 0) text += fmt::format("- and {} more\n", more);
  if (told == 0) text += "nobody uses it\n";
  std::vector<std::string> tags;
  for (const model::ResolvedTag& tag : plan.tags) {
    if (tag.controller == place.controller && tag.memory &&
        model::overlap(tag.memory->bits, place.range.bits)) {
      tags.push_back(plan.declared(tag).name);
    }
  }
  if (!tags.empty()) text += "\ntags: " + some_of(tags) + "\n";
  return text;
}

std::string area_markdown(const PlanView& view, std::size_t controller, std::string_view name) {
  const model::ControllerIndex index(controller);
  const model::Controller& own = view.plan().plan.controllers[controller];
  const auto at = std::find_if(own.memory.begin(), own.memory.end(),
                               [&](const model::MemoryArea& area) { return area.name == name; });
  if (at == own.memory.end()) return {};
  const auto& layout = view.plan().layouts[index];
  const auto area = static_cast<std::size_t>(at - own.memory.begin());
  const bool words = at->kind == model::MemoryKind::word;
  const char* const what = words ? "word" : "bit";
  std::string text = fmt::format("**{}** of {}: {}", as_code(at->name), as_code(own.name),
                                 model::counted(static_cast<std::size_t>(at->count), what));
  if (at->count > 0) {
    text += fmt::format(", {} to {}", as_code(layout.name_of(area, at->first)),
                        as_code(layout.name_of(area, at->first + at->count - 1)));
  }
  if (at->inside) text += ", in the words of " + as_code(at->inside->value);
  text += "\n\n";
  const auto range = layout.range(area, at->first, at->count);
  if (!range) return text;
  const auto uses = model::memory_uses(view.plan());
  const model::FreeMemory free(view.plan(), index, uses[index]);
  constexpr std::uint64_t bits_of_word = 16;
  std::uint64_t free_bits = 0;
  std::vector<std::string> stretches;
  for (const model::BitRange& each : free.stretches(range->bits.store)) {
    const std::uint64_t begin = std::max(each.first, range->bits.first);
    const std::uint64_t end = std::min(each.end, range->bits.end);
    if (begin >= end) continue;
    free_bits += end - begin;
    if (!words || end - begin >= bits_of_word) {
      stretches.push_back(layout.name_of(model::BitRange{range->bits.store, begin, end}));
    }
  }
  const std::uint64_t unit = words ? bits_of_word : 1;
  const std::uint64_t all = (range->bits.end - range->bits.first) / unit;
  const std::uint64_t used = all - std::min(all, free_bits / unit);
  text += fmt::format("- used: {} of {}, counting those of which a part is\n", used,
                      model::counted(all, what));
  text += stretches.empty() ? "- nothing is free\n" : "- free: " + some_of(stretches) + "\n";
  return text;
}

std::string lonely_point_markdown(const model::Point& point) {
  const auto offset = point.address.offset.value;
  return fmt::format("**{}** {}\n\n{} (0x{:04X}, from 1: {}, {}), taken to count from 0\n",
                     as_code(point.name), to_text(point.type),
                     model::range_text(point.address.area, model::extent_of(point)), offset,
                     std::uint32_t{offset} + 1, reference6(point.address));
}

std::string thing_markdown(const PlanView& view, const Thing& thing) {
  const model::Plan& plan = view.plan().plan;
  const auto index = [&](const auto& list) -> std::optional<std::size_t> {
    for (std::size_t i = 0; i < list.size(); ++i) {
      if (list[i].name == thing.name) return i;
    }
    return std::nullopt;
  };
  switch (thing.kind) {
    case SubjectKind::slave: {
      const auto own = view.slave_named(thing.name);
      return own ? slave_markdown(view, *own) : std::string();
    }
    case SubjectKind::line: {
      const auto own = index(plan.lines);
      return own ? line_markdown(view, *own) : std::string();
    }
    case SubjectKind::controller: {
      const auto own = index(plan.controllers);
      return own ? controller_markdown(view, *own) : std::string();
    }
    case SubjectKind::gateway: {
      const auto own = index(plan.gateways);
      if (!own) return {};
      const model::ExchangeGateway& box = view.plan().exchange.gateways[model::GatewayIndex(*own)];
      return fmt::format("**gateway {}** {}:{}\n\n{}", as_code(box.name),
                         as_words(box.host.value_or("?")), box.port,
                         facts_text(view, model::FactOwner::gateway, *own));
    }
    case SubjectKind::point: {
      for (std::size_t s = 0; s < plan.slaves.size(); ++s) {
        if (!plan.slaves[s].map) continue;
        const model::Point* const point = plan.maps[*plan.slaves[s].map].find(thing.name);
        if (point != nullptr && view.path_of(point->place.file) == thing.map) {
          return point_markdown(view, s, *point);
        }
      }
      return {};
    }
    default: return {};
  }
}

}  // namespace internal

std::string rule_markdown(model::RuleCode code) {
  const checks::RuleEntry& rule = checks::entry_of(code);
  std::string text = fmt::format(
      "**{}** ({}): {}\n\n{}\n\nWrong:\n\n```toml\n{}\n```\n\nRight:\n\n```toml\n{}\n```\n\n{}",
      to_string(code), to_string(rule.severity), as_words(rule.title), as_words(rule.why),
      rule.wrong, rule.right, as_words(rule.remedy));
  if (!rule.clause.empty()) text += fmt::format("\n\nStandard: {}", as_words(rule.clause));
  return text;
}

std::string transaction_markdown(const PlanView& view, std::size_t transaction) {
  const model::ResolvedPlan& plan = view.plan();
  const model::ExchangeTransaction* const t = plan.exchange.find(transaction);
  const std::string& name = plan.transaction_name(transaction);
  if (t == nullptr) {
    return fmt::format("**transaction {}** is not whole yet: it has no time and no frames",
                       as_code(name));
  }
  const auto& layout = plan.layouts[t->controller];
  std::string text = fmt::format("**transaction {}**: {} asks {} by function {}\n\n", as_code(name),
                                 as_code(plan.plan.controllers[t->controller].name),
                                 as_code(plan.target_name(t->target)), number_of(t->function));
  if (t->read) {
    text += fmt::format("- reads {}{}\n", block_text(plan, t->target, *t->read),
                        t->into ? " into " + as_code(layout.name_of(*t->into)) : std::string());
  }
  if (t->write) {
    text += fmt::format("- writes {}{}\n", block_text(plan, t->target, *t->write),
                        t->from ? " from " + as_code(layout.name_of(*t->from)) : std::string());
  }
  const auto frames = modbus::planned_frames(*t);
  if (frames) {
    const auto bytes_text = [&](const modbus::Bytes& bytes) {
      constexpr std::size_t most_bytes = 24;
      const bool ascii = frames->framing == model::Framing::ascii;
      std::string out;
      for (std::size_t i = 0; i < std::min(bytes.size(), most_bytes); ++i) {
        const auto byte = std::to_integer<unsigned>(bytes[i]);
        if (ascii) {
          if (byte >= 0x20 && byte < 0x7F) out += static_cast<char>(byte);
        } else {
          out += fmt::format("{}{:02X}", i > 0 ? " " : "", byte);
        }
      }
      return fmt::format("{}{} ({} {})", as_code(out), bytes.size() > most_bytes ? " ..." : "",
                         bytes.size(), ascii ? "characters" : "bytes");
    };
    text += fmt::format("- request {}\n", bytes_text(frames->request));
    if (!frames->reply.empty()) text += fmt::format("- reply {}\n", bytes_text(frames->reply));
  } else {
    // nor has it a time then, whatever could be reckoned
    return text + "- no frame, and no time: " + as_words(frames.error()) + "\n";
  }
  if (const auto times = timing::transaction_times(plan.exchange, *t)) {
    text += fmt::format("- takes {} to {}", model::in_ms(times->shortest),
                        model::in_ms(times->longest));
    const auto keys = times->assumed.keys();
    if (!keys.empty()) text += fmt::format("; assumed: {}", some_of(keys));
    text += "\n";
  }
  const auto& timing = view.reading().timing;
  for (std::size_t i = 0; timing && i < timing->lines.size(); ++i) {
    for (const timing::TransactionReport& own : timing->lines[i].transactions) {
      if (own.transaction != transaction) continue;
      if (own.response_bound) {
        text += fmt::format("- answered within {}", model::in_ms(*own.response_bound));
        text += own.period ? fmt::format(" of its period of {}\n", model::to_text(*own.period))
                           : std::string("\n");
      }
      if (own.response_simulated) {
        text += fmt::format("- answered within {} in the simulation\n",
                            model::in_ms(*own.response_simulated));
      }
      text += fmt::format("- {} is used {:.1f} %\n", as_words(timing->lines[i].name),
                          timing->lines[i].utilisation_percent);
    }
  }
  return text;
}

}  // namespace greymet::editor
