#include "iec_table.h"

#include <algorithm>
#include <array>

#include <fmt/format.h>

namespace greymet::exports {

using model::ExchangeTransaction;
using model::MemoryRange;

namespace {

constexpr std::size_t longest_in_table = 80;  // bytes of a text

// One column with its meaning.
struct CellOfRow {
  std::string name;
  std::string type;
  std::string comment;
  std::string value;
};

std::string text(std::string_view words) {
  return iec_string(words.substr(0, longest_in_table));
}
const std::string text_type = fmt::format("STRING[{}]", longest_in_table);

int number_of_trigger(model::TriggerKind kind) {
  switch (kind) {
    case model::TriggerKind::cyclic: return 1;
    case model::TriggerKind::continuous: return 2;
    case model::TriggerKind::on_bit: return 3;
    case model::TriggerKind::on_change: return 4;
    case model::TriggerKind::on_start: return 5;
    case model::TriggerKind::on_return: return 6;
  }
  return 0;
}

int number_of_loss(const std::optional<model::OnLoss>& loss) {
  if (!loss) return 0;
  switch (*loss) {
    case model::OnLoss::hold: return 1;
    case model::OnLoss::zero: return 2;
    case model::OnLoss::alarm: return 3;
    case model::OnLoss::warn: return 4;
    case model::OnLoss::stop: return 5;
    case model::OnLoss::none: break;
  }
  return 0;
}

int number_of_order(const std::optional<model::WordOrder>& order) {
  return order ? static_cast<int>(*order) + 1 : 0;
}

class RowMaker {
 public:
  explicit RowMaker(const model::ResolvedPlan& plan) : plan_(plan) {}

  std::vector<CellOfRow> of(const ExchangeTransaction& t) {
    columns_.clear();
    add_ends(t);
    add_blocks(t);
    add_time(t);
    add_rest(t);
    return columns_;
  }

 private:
  void add(std::string name, std::string type, std::string comment, std::string value) {
    columns_.push_back({std::move(name), std::move(type), std::move(comment), std::move(value)});
  }
  template <class Number>
  void add_number(const std::string& name, const std::string& comment, Number value,
                  const std::string& type = "UINT") {
    add(name, type, comment, fmt::format("{}", value));
  }
  void add_time(const std::string& name, const std::string& comment, model::Duration value) {
    add(name, "TIME", comment, iec_time(value));
  }
  // A place in the controller's memory.
  void add_place(const std::string& name, const std::string& comment,
                 const std::optional<MemoryRange>& range) {
    add_number(name + "_area", comment + ": area of memory, 0: none", range ? range->area + 1 : 0);
    add_number(name + "_first", "its first word or bit", range ? range->number : 0, "DINT");
    add_number(name + "_bit", "bit of that word; -1: all of it",
               range && range->bit ? static_cast<int>(*range->bit) : -1, "INT");
  }

  void add_ends(const ExchangeTransaction& t) {
    const model::Endpoint& at = t.endpoint;
    add("name", text_type, "", text(t.name));
    add("target", text_type, "", text(plan_.target_name(t.target)));
    add("line", text_type, "of the serial line, or of the gateway's",
        text(at.line ? plan_.exchange.lines[*at.line].name : ""));
    add("host", text_type, "of the target, or of its gateway",
        text(at.connection ? at.host : std::string()));
    add_number("port", "of the host", at.connection ? at.port : 0);
    add_number("unit", "unit number", at.unit ? at.unit->value : 0);
    add_number("function_code", "", number_of(t.function));
  }

  void add_blocks(const ExchangeTransaction& t) {
    add_number("read_at", "first register or bit that is read, from 0",
               t.read ? t.read->offset : 0);
    add_number("read_count", "", t.read ? t.read->quantity : 0);
    add_place("into", "where they go", t.into);
    add_number("write_at", "first one that is written, from 0", t.write ? t.write->offset : 0);
    add_number("write_count", "", t.write ? t.write->quantity : 0);
    add_place("source", "where they come from", t.from);
    add_number("read_swap", "order that values are brought into; 1 ABCD, 2 CDAB, 3 BADC, 4 DCBA",
               number_of_order(t.read_swap));
    add_number("write_swap", "order that values are sent in", number_of_order(t.write_swap));
    add_number("packing", "1: bits into words, 2: words into bits, the lowest bit first",
               t.packing ? (*t.packing == model::Packing::bits_to_words ? 1 : 2) : 0);
  }

  void add_time(const ExchangeTransaction& t) {
    const bool cyclic = t.trigger.kind == model::TriggerKind::cyclic;
    add_number("runs",
               "1 cyclic, 2 continuously, 3 by a bit, 4 on change, 5 at the start, 6 at the return "
               "of the target",
               number_of_trigger(t.trigger.kind));
    add_time("period", "of a cyclic one", cyclic ? t.trigger.period : model::Duration{});
    add_time("phase", "", cyclic ? t.trigger.phase : model::Duration{});
    add_time("min_gap", "of one that is not cyclic", cyclic ? model::Duration{} : t.trigger.period);
    add_time("timeout", "", t.endpoint.timeout);
    add_number("retries", "", t.endpoint.retries);
    add_number("park_after", "requests without a reply, 0: never",
               t.endpoint.park ? t.endpoint.park->after : 0);
    add_time("park_retry", "", t.endpoint.park ? t.endpoint.park->retry : model::Duration{});
  }

  void add_rest(const ExchangeTransaction& t) {
    add_place("trigger", "the bit that starts it", t.trigger.bit);
    add_place("gate", "the bit that lets it run", t.gate);
    for (const auto kind : {model::StatusKind::busy, model::StatusKind::done,
                            model::StatusKind::failed, model::StatusKind::exception}) {
      const auto found = std::find_if(t.status.begin(), t.status.end(),
                                      [&](const model::Status& s) { return s.kind == kind; });
      add_place(std::string(to_string(kind)), "where it is told",
                found == t.status.end() ? std::nullopt : std::optional(found->range));
    }
    add_number("loss", "1 hold, 2 zero, 3 alarm, 4 warn, 5 stop", number_of_loss(t.on_loss));
  }

  const model::ResolvedPlan& plan_;
  std::vector<CellOfRow> columns_;
};

}  // namespace

std::optional<TransactionTable> transaction_table(const model::ResolvedPlan& plan,
                                                  model::ControllerIndex controller) {
  TransactionTable out;
  out.variable = iec_variable("transactions", "GM_TRANSACTION");
  out.type = {"GM_TRANSACTION", "what the plan says of a request", {}};
  RowMaker columns(plan);
  for (const ExchangeTransaction& t : plan.exchange.transactions) {
    if (t.controller != controller) continue;
    IecRow row;
    const std::vector<CellOfRow> cells = columns.of(t);
    row.reserve(cells.size());
    for (const CellOfRow& cell : cells) {
      if (out.variable.rows.empty()) {
        out.type.members.push_back(iec_variable(cell.name, cell.type, cell.comment));
      }
      row.emplace_back(cell.name, cell.value);
    }
    out.variable.rows.push_back(std::move(row));
  }
  if (out.variable.rows.empty()) return std::nullopt;
  out.variable.type.bounds = {1, out.variable.rows.size()};
  return out;
}

IecStruct request_type() {
  IecStruct out{"GM_REQUEST", "what is known of a request", {}};
  const auto bit = [&](const char* name, const char* comment) {
    out.members.push_back(iec_variable(name, "BOOL", comment));
  };
  bit("good",
      "the last one was answered well; told by the driver where the plan has no bit for it");
  bit("new_values", "a good reply has come since the last scan; told likewise");
  bit("start", "to be set: starts a request that a bit starts");
  bit("open", "to be set: lets a request run that a bit lets run");
  bit("busy", "as the plan's bits tell");
  bit("done", "");
  bit("failed", "");
  out.members.push_back(iec_variable("exception", "WORD"));
  bit("valid", "there has been a good reply since the start: values are no zeros of before");
  bit("may_send", "the driver may carry it out");
  bit("no_number", "some value was no number (NaN, infinite, no BCD) and kept its last");
  bit("alarm", "not good, and on_loss = alarm");
  bit("warning", "not good, and on_loss = warn");
  bit("stop_request", "not good, and on_loss = stop");
  out.members.push_back(iec_variable("age", "TIME", "since the last good reply, 20 days at most"));
  return out;
}

}  // namespace greymet::exports
