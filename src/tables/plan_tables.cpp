#include "tables/plan_tables.h"

#include <fmt/format.h>

#include "checks/catalogue.h"
#include "checks/not_judged.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "model/tag_coverage.h"

namespace greymet::tables {

using model::ResolvedPlan;

namespace {

Cell memory_cell(const ResolvedPlan& plan, model::ControllerIndex controller,
                 const std::optional<model::MemoryRange>& range) {
  return range ? text(plan.layouts[controller].name_of(*range)) : Cell();
}

template <class T>
Cell named(const std::optional<T>& value) {
  return value ? text(to_string(*value)) : Cell();
}

Cell set(Duration value) {
  return value > Duration{} ? Cell(value) : Cell();
}

}  // namespace

Table slaves_table(const ResolvedPlan& plan) {
  Table out{"slaves",
            "the plan has no slaves",
            {{"slave", "slave", Kind::text, "who answers", 9},
             {"line", "line", Kind::text, "the serial line that it hangs on", 8},
             {"host", "host", Kind::text, "its address on TCP", 8},
             {"port", "port", Kind::whole, "its port on TCP", 7},
             {"unit", "unit", Kind::whole, "the number that requests call it by", 9},
             {"mode", "mode", Kind::text, "how frames are written on its line", 7},
             {"medium", "medium", Kind::text, "what its line is made of", 4},
             {"baud", "baud", Kind::whole, "bits a second on its line", 8},
             {"format", "format", Kind::text, "data bits, parity and stop bits of a character", 8},
             {"numbering", "numbering", Kind::text, "what its manual calls the first register", 3},
             {"watchdog_ms", "watchdog", Kind::duration,
              "after so long without requests it acts by itself", 6},
             {"timeout_ms", "timeout", Kind::duration, "how long a master waits for its answer", 6},
             {"retries", "retries", Kind::whole, "tries after the first that failed", 6},
             {"pause_ms", "pause", Kind::duration, "what it wants between two requests", 3},
             {"reply_typical_ms", "reply, typical", Kind::duration,
              "from the end of a request to its reply, as a rule", 6},
             {"reply_longest_ms", "longest", Kind::duration, "the same, at the longest", 6},
             {"reply_assumed", "assumed", Kind::flag,
              "the plan states no reply times: those are the defaults", 5}},
            {}};
  for (std::size_t s = 0; s < plan.exchange.slaves.size(); ++s) {
    const model::ExchangeSlave& slave = plan.exchange.slaves[s];
    const model::ExchangeLine* line = slave.line ? &plan.exchange.lines[*slave.line] : nullptr;
    const auto& watchdog = plan.plan.slaves[s].watchdog;
    const bool tcp = line == nullptr && slave.host;
    // behind a gateway its master waits for the gateway
    struct Wait {
      Duration timeout;
      std::int64_t retries = 0;
    };
    const auto* gateway =
        line != nullptr && line->via ? &plan.exchange.gateways[*line->via] : nullptr;
    const Wait wait = gateway != nullptr ? Wait{gateway->timeout, gateway->retries}
                      : line != nullptr  ? Wait{line->timeout, line->retries}
                                         : Wait{slave.timeout, slave.retries};
    out.add({text(slave.name), line != nullptr ? text(line->name) : Cell(),
             tcp ? text(*slave.host) : Cell(), tcp ? Cell(slave.port) : Cell(),
             slave.unit ? whole(slave.unit->value) : Cell(),
             line == nullptr ? text("tcp") : named(line->mode),
             line != nullptr ? text(to_string(line->medium)) : Cell(),
             line != nullptr ? maybe(line->baud) : Cell(),
             line != nullptr && line->format ? text(to_text(*line->format)) : Cell(),
             text(to_string(slave.numbering)), watchdog ? Cell(watchdog->value) : Cell(),
             wait.timeout, Cell(wait.retries), set(slave.pause), Cell(slave.reply.typical),
             Cell(slave.reply.max),
             slave.assumed.contains(model::FactKind::reply) ? Cell(true) : Cell()});
  }
  return out;
}

Table transactions_table(const ResolvedPlan& plan) {
  Table out{
      "transactions",
      "the plan has no transactions",
      {{"order", "order", Kind::whole, "place in the list of the plan", 7},
       {"name", "name", Kind::text, "name of the transaction", 9},
       {"controller", "controller", Kind::text, "who sends the requests", 8},
       {"slave", "slave", Kind::text, "who answers", 8},
       {"unit", "unit", Kind::whole, "the number that requests call it by", 6},
       {"line", "line", Kind::text, "the serial line that requests go over", 6},
       {"host", "host", Kind::text, "where requests go on TCP", 6},
       {"port", "port", Kind::whole, "its port", 5},
       {"fc", "fc", Kind::whole, "function code", 8},
       {"read_area", "read area", Kind::text, "area that is read", 8},
       {"read_at", "read at", Kind::whole, "protocol address of the first", 7},
       {"read_count", "read count", Kind::whole, "registers or bits that are read", 7},
       {"read_reference", "read reference", Kind::text, "the first in six digits", 3},
       {"read_typed", "type for read", Kind::text,
        "the first as the tool of its controller wants it typed", 3},
       {"into", "into", Kind::text, "memory that receives them", 7},
       {"read_swap", "swapped to", Kind::text,
        "word order that values have in memory, whatever it was before", 4},
       {"write_area", "write area", Kind::text, "area that is written", 8},
       {"write_at", "write at", Kind::whole, "protocol address of the first", 7},
       {"write_count", "write count", Kind::whole, "registers or bits that are written", 7},
       {"write_reference", "write reference", Kind::text, "the first in six digits", 3},
       {"write_typed", "type for write", Kind::text,
        "the first as the tool of its controller wants it typed", 3},
       {"from", "from", Kind::text, "memory that is sent", 7},
       {"write_swap", "sent in order", Kind::text, "word order in which values are sent", 4},
       {"when", "when", Kind::text, "what makes it run", 8},
       {"period_ms", "period", Kind::duration, "of a cyclic one", 8},
       {"phase_ms", "phase", Kind::duration, "when its period begins, from the start", 5},
       {"min_gap_ms", "min gap", Kind::duration,
        "shortest time between two runs of one that is triggered", 5},
       {"trigger", "trigger", Kind::text, "the bit that starts it", 5},
       {"only_if", "only if", Kind::text, "the bit that has to be true for it to run", 5},
       {"on_loss", "on loss", Kind::text, "what becomes of the values when it fails", 5},
       {"timeout_ms", "timeout", Kind::duration, "how long its answer is waited for", 4},
       {"retries", "retries", Kind::whole, "tries after the first that failed", 4},
       {"tags", "tags", Kind::words, "of the program, in that memory", 2},
       {"always", "always sends", Kind::words, "what the plan says is never anything else", 3},
       {"packing", "packing", Kind::text, "how bits lie in words, the lowest first", 2},
       {"status", "status", Kind::words, "memory where it tells how it went", 2},
       {"park_after", "parked after", Kind::whole, "requests without a reply", 1},
       {"park_retry_ms", "parked for", Kind::duration, "until it is asked again", 1},
       {"period_typed", "type for period", Kind::text, "its period in steps of that tool", 2},
       {"timeout_typed", "type for timeout", Kind::text, "its timeout in steps of that tool", 2}},
      {}};
  const model::TagCoverage coverage(plan);
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    const model::Endpoint& to = t.endpoint;
    const model::Controller& controller = plan.plan.controllers[t.controller];
    std::vector<Cell> row{whole(out.rows.size() + 1),
                          text(t.name),
                          text(plan.exchange.controllers[t.controller].name),
                          text(plan.target_name(t.target)),
                          to.unit ? whole(to.unit->value) : Cell(),
                          to.line ? text(plan.exchange.lines[*to.line].name) : Cell(),
                          text(to.host),
                          to.connection ? Cell(to.port) : Cell(),
                          whole(static_cast<std::uint64_t>(number_of(t.function)))};
    Words tags;
    for (const bool reads : {true, false}) {
      const auto& block = reads ? t.read : t.write;
      const auto& memory = reads ? t.into : t.from;
      if (!block) {
        row.insert(row.end(), 7, Cell());
        continue;
      }
      const model::Address address{block->area, {static_cast<std::uint16_t>(block->offset)}};
      row.push_back(text(short_name(block->area)));
      row.push_back(whole(block->offset));
      row.push_back(whole(block->quantity));
      row.push_back(text(reference6(address)));
      row.push_back(text(to_type(controller, address)));
      row.push_back(memory_cell(plan, t.controller, memory));
      row.push_back(named(reads ? t.read_swap : t.write_swap));
      if (!memory) continue;
      for (const std::string& name : coverage.names_in(t.controller, memory->bits)) {
        tags.push_back(name);
      }
    }
    const bool cyclic = t.trigger.kind == model::TriggerKind::cyclic;
    row.push_back(text(to_string(t.trigger.kind)));
    row.push_back(cyclic ? Cell(t.trigger.period) : Cell());
    row.push_back(cyclic ? Cell(t.trigger.phase) : Cell());
    row.push_back(cyclic ? Cell() : set(t.trigger.period));
    row.push_back(memory_cell(plan, t.controller, t.trigger.bit));
    row.push_back(memory_cell(plan, t.controller, t.gate));
    row.push_back(named(t.on_loss));
    row.push_back(to.broadcast ? Cell() : Cell(to.timeout));
    row.push_back(to.broadcast ? Cell() : Cell(to.retries));
    row.emplace_back(std::move(tags));
    Words constants;
    for (const model::SentConstant& constant : t.constants) {
      constants.push_back(constant.point.empty()
                              ? constant.text
                              : fmt::format("{} = {}", constant.point, constant.text));
    }
    row.emplace_back(std::move(constants));
    row.push_back(named(t.packing));
    Words status;
    for (const model::Status& s : t.status) {
      status.push_back(
          fmt::format("{} {}", to_string(s.kind), plan.layouts[t.controller].name_of(s.range)));
    }
    row.emplace_back(std::move(status));
    row.push_back(to.park ? whole(static_cast<std::uint64_t>(to.park->after)) : Cell());
    row.push_back(to.park ? Cell(to.park->retry) : Cell());
    row.push_back(cyclic ? text(to_type(controller, t.trigger.period)) : Cell());
    row.push_back(to.broadcast ? Cell() : text(to_type(controller, to.timeout)));
    out.add(std::move(row));
  }
  return out;
}

Table points_table(const ResolvedPlan& plan, const model::PointList& list,
                   const std::vector<std::optional<Duration>>& ages) {
  Table out{
      "points",
      "no transaction moves a point of any map",
      {{"where", "point", Kind::text, "value at the other end: of a slave or a controller", 9},
       {"direction", "direction", Kind::text, "whether it comes from there or goes to there", 8},
       {"controller", "controller", Kind::text, "the controller at this end", 8},
       {"memory", "memory", Kind::text, "where it lies there", 9},
       {"words", "words", Kind::whole, "how many words of memory", 2},
       {"tag", "tag", Kind::text, "of the program, that lies there", 8},
       {"tag_type", "tag type", Kind::text, "type that the program gives it", 5},
       {"tag_word_order", "tag word order", Kind::text, "order in which the program reads it", 3},
       {"by", "by", Kind::text, "transaction or copy that moves it", 8},
       {"function", "fc", Kind::whole, "function code of that transaction", 3},
       {"area", "area", Kind::text, "area of the slave", 7},
       {"offset", "offset", Kind::whole, "protocol address in it", 7},
       {"manual", "manual", Kind::text, "the address as the slave's manual prints it", 8},
       {"typed", "type this", Kind::text, "the address as the controller's tool wants it typed", 3},
       {"type", "type", Kind::text, "type at the other end", 7},
       {"word_order", "word order", Kind::text, "order of the words of a long value there", 4},
       {"swap", "swapped to", Kind::text, "order that the transaction gives it on its way", 4},
       {"factor", "factor", Kind::number, "value = raw * factor + offset", 4},
       {"offset_value", "plus", Kind::number, "offset of that sum", 4},
       {"unit", "unit", Kind::text, "unit of the value", 6},
       {"names", "names", Kind::text, "what its values mean", 3},
       {"every_ms", "every", Kind::duration, "period of a cyclic transaction", 4},
       {"age_bound_ms", "age at most", Kind::duration, "how old it can be there at the most", 7},
       {"used_by", "also used by", Kind::words, "who else uses that memory", 3}},
      {}};
  for (std::size_t i = 0; i < list.rows.size(); ++i) {
    const model::PointRow& p = list.rows[i];
    const bool is_long = is_multi_register(p.type.type);
    Cell tag;
    Cell tag_type;
    Cell tag_order;
    if (p.tag) {
      const model::ResolvedTag& resolved = plan.tags[*p.tag];
      const model::Tag& declared = plan.declared(resolved);
      tag = text(declared.name);
      tag_type = text(to_text(declared.type));
      if (is_multi_register(declared.type.type)) tag_order = named(plan.order_of(resolved));
    }
    Cell function;
    Cell every;
    if (p.transaction) {
      const model::ResolvedTransaction& t = plan.transactions[*p.transaction];
      if (t.function) function = whole(static_cast<std::uint64_t>(number_of(*t.function)));
      if (t.trigger && t.trigger->kind == model::TriggerKind::cyclic) every = t.trigger->period;
    }
    out.add(
        {text(p.where),
         text(p.is_read ? "from" : "to"),
         text(plan.plan.controllers[p.controller].name),
         text(plan.layouts[p.controller].name_of(p.memory)),
         whole((p.memory.end - p.memory.first) / model::bits_per_word),
         std::move(tag),
         std::move(tag_type),
         std::move(tag_order),
         text(moved_by(plan, p)),
         std::move(function),
         p.area ? text(short_name(*p.area)) : Cell(),
         p.offset ? whole(*p.offset) : Cell(),
         p.area && p.offset && !p.end.at_controller
             ? text(plan.manual_address(
                   p.end.owner, model::Address{*p.area, {static_cast<std::uint16_t>(*p.offset)}}))
             : Cell(),
         p.area && p.offset
             ? text(to_type(plan.plan.controllers[p.controller],
                            model::Address{*p.area, {static_cast<std::uint16_t>(*p.offset)}}))
             : Cell(),
         text(p.area ? to_text(p.type.type) : to_text(p.type)),
         is_long ? named(p.order) : Cell(),
         is_long ? named(p.swap) : Cell(),
         maybe(p.factor),
         maybe(p.offset_value),
         p.unit,
         text(p.names),
         std::move(every),
         maybe(ages[i]),
         Words(p.used_by)});
  }
  return out;
}

Table memory_table(const ResolvedPlan& plan, const model::MemoryReport& report) {
  Table out{"memory",
            "nothing is used",
            {{"controller", "controller", Kind::text, "whose memory it is", 9, {}, true},
             {"area", "area", Kind::text, "area of its memory", 6},
             {"range", "range", Kind::text, "first and last address", 9},
             {"count", "count", Kind::whole, "words, or bits", 7},
             {"purpose", "purpose", Kind::text, "what it is for", 9},
             {"by", "by", Kind::text, "who uses it", 8},
             {"assigned", "assigned", Kind::flag,
              "the plan names only the area: greymet chose the place", 3},
             {"overlaps", "overlaps", Kind::flag, "another uses it too, to somebody's harm", 6},
             {"tags", "tags", Kind::words, "of the program, that lie in it", 5}},
            {}};
  for (const model::ControllerMemory& c : report.controllers) {
    const Cell name = text(plan.plan.controllers[c.controller].name);
    for (const model::StoreReport& store : c.stores) {
      for (const model::MemoryRow& row : store.rows) {
        out.add(
            {name, text(store.name), text(row.range), Cell(row.count), text(to_string(row.purpose)),
             text(row.by), Cell(row.assigned), Cell(row.clash), Words(row.tags)},
            row.clash ? Mood::bad : Mood::plain);
      }
      const std::uint64_t unit = store.words ? model::bits_per_word : 1;
      for (const model::BitRange& free : store.free) {
        out.add({name, text(store.name), text(plan.layouts[c.controller].name_of(free)),
                 whole((free.end - free.first) / unit), text("free"), Cell(), Cell(false),
                 Cell(false), Words()},
                Mood::soft);
      }
    }
  }
  return out;
}

Table registers_table(const ResolvedPlan& plan, const model::MemoryReport& report) {
  Table out{"registers",
            "no slave is asked for anything",
            {{"slave", "slave", Kind::text, "whose registers or bits they are", 9, {}, true},
             {"area", "area", Kind::text, "area of the slave", 8},
             {"offset", "offset", Kind::whole, "protocol address of the first", 9},
             {"manual", "manual", Kind::text, "the first as the slave's manual prints it", 9},
             {"count", "count", Kind::whole, "registers or bits", 8},
             {"purpose", "purpose", Kind::text, "whether they are read or written", 8},
             {"by", "by", Kind::text, "the transaction", 8},
             {"overlaps", "written twice", Kind::flag, "another transaction writes them too", 6}},
            {}};
  for (const model::SlaveMemory& slave : report.slaves) {
    for (const model::DeviceAreaReport& area : slave.areas) {
      for (const model::DeviceRow& row : area.rows) {
        out.add({text(plan.plan.slaves[slave.slave].name), text(short_name(area.area)),
                 whole(row.extent.first),
                 text(plan.manual_address(
                     slave.slave,
                     model::Address{area.area, {static_cast<std::uint16_t>(row.extent.first)}})),
                 whole(row.extent.end - row.extent.first), text(row.is_read ? "read" : "write"),
                 text(row.by), Cell(row.clash)},
                row.clash ? Mood::bad : Mood::plain);
      }
    }
  }
  return out;
}

Table findings_table(const std::vector<std::string>& files, const model::Findings& findings) {
  Table out{"findings",
            "check finds nothing",
            {{"rule", "rule", Kind::text, "code of the rule; greymet explain CODE tells more", 8},
             {"severity", "severity", Kind::state, "error, warning or note", 9},
             {"file", "file", Kind::text, "where it stands", 8},
             {"line", "line", Kind::whole, "the line; 0 where it is the file as a whole", 8},
             {"column", "column", Kind::whole, "the character in it", 3},
             {"subject", "about", Kind::text, "what it is about", 6},
             {"message", "what", Kind::text, "what was found", 9},
             {"remedy", "remedy", Kind::text, "what helps", 8}},
            {}};
  for (const model::Finding& f : findings) {
    const Mood mood = f.severity == model::Severity::error     ? Mood::bad
                      : f.severity == model::Severity::warning ? Mood::warn
                                                               : Mood::soft;
    out.add({text(to_string(f.rule)), State{std::string(to_string(f.severity)), mood},
             text(files[f.place.file]), whole(f.place.line), whole(f.place.column),
             to_text(f.subject), f.message, f.remedy});
  }
  return out;
}

Table accepts_table(const ResolvedPlan& plan) {
  Table out{"accepted",
            "the plan accepts nothing",
            {{"rule", "accepted rule", Kind::text, "code of the rule", 9},
             {"at", "at", Kind::text, "what it is accepted of", 9},
             {"why", "why", Kind::text, "the reason that the plan gives", 8}},
            {}};
  const auto stated = [](const auto& value) { return value ? text(value->value) : Cell(); };
  for (const model::Accept& a : plan.plan.accepts) {
    out.add({stated(a.rule), stated(a.at), stated(a.why)});
  }
  return out;
}

Table not_judged_table(const ResolvedPlan& plan) {
  Table out{"not-judged",
            "everything was judged that there are rules for",
            {{"what", "what", Kind::text, "what nobody could judge", 9},
             {"subjects", "of", Kind::words, "of whom", 8},
             {"because", "because", Kind::text, "what is missing", 8},
             {"add", "to have it judged", Kind::text, "what to add to the plan", 8}},
            {}};
  for (const checks::NotJudged& n : checks::not_judged(plan)) {
    out.add({text(n.what), Words(n.subjects), text(n.because), text(n.add)});
  }
  return out;
}

Table rules_table(const std::vector<const checks::RuleEntry*>& entries) {
  Table out{"rules",
            "there are no rules",
            {{"rule", "rule", Kind::text, "its code", 9},
             {"severity", "severity", Kind::state, "error, warning or note", 9},
             {"family", "family", Kind::text, "what it is about", 7},
             {"title", "title", Kind::text, "what it says in short", 9},
             {"why", "why", Kind::text, "why it matters", 2},
             {"wrong", "wrong", Kind::text, "an example that it reports", 1},
             {"right", "right", Kind::text, "the same without the mistake", 1},
             {"remedy", "remedy", Kind::text, "what helps in general", 2},
             {"clause", "clause", Kind::text, "of the open standard that it follows from", 2}},
            {}};
  for (const checks::RuleEntry* entry : entries) {
    out.add({text(to_string(entry->code)),
             State{std::string(to_string(entry->severity)), Mood::plain},
             text(checks::family_of(entry->code).title), text(entry->title), text(entry->why),
             text(entry->wrong), text(entry->right), text(entry->remedy), text(entry->clause)});
  }
  return out;
}

}  // namespace greymet::tables
