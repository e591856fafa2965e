// One controller's end of the exchange as a program: values out of memory, values into memory,
// heartbeats, what a loss means.
#include "iec_program.h"

#include <algorithm>
#include <map>
#include <set>

#include <fmt/format.h>

#include "iec_data.h"
#include "iec_values.h"
#include "modbus/constant_words.h"
#include "model/bit_index.h"
#include "model/memory_use.h"
#include "model/value_trace.h"

namespace greymet::exports {

using model::ExchangeTransaction;
using model::MemoryPurpose;
using model::OnLoss;
using model::PointRow;

namespace {

// Which values of the program belong to a transaction; none: a copy or another controller brings
// them.
struct Group {
  std::optional<std::size_t> transaction;
  std::string body;
  std::string zeros;  // what `on_loss = "zero"` does
  bool decodes_reals = false;
};

model::BitIndex places_of(const std::vector<model::MemoryUse>& uses) {
  std::vector<model::BitRange> ranges;
  ranges.reserve(uses.size());
  for (const model::MemoryUse& use : uses) ranges.push_back(use.bits);
  return model::BitIndex(ranges);
}

class Programmer {
 public:
  Programmer(const ExportInput& input, model::ControllerIndex controller,
             const std::vector<model::MemoryUse>& uses)
      : input_(input),
        plan_(input.plan),
        controller_(controller),
        layout_(plan_.layouts[controller]),
        uses_(uses),
        places_(places_of(uses)),
        data_(layout_, {"bits32", "bits64", "copied"}) {}

  IecProgram make() {
    IecProgram out;
    out.controller = layout_.controller().name;
    out.title = plan_.plan.title ? plan_.plan.title->value : "an exchange without a title";
    if (plan_.plan.revision) out.title += ", revision " + plan_.plan.revision->value;
    out.fingerprint = input_.fingerprint;
    const std::string program = data_.take(iec_name(out.controller + "_exchange"));
    if (auto table = transaction_table(plan_, controller_)) {
      (void)data_.take(table->variable.name);
      out.types.push_back(std::move(table->type));
      table_.variables.push_back(std::move(table->variable));
    }
    for (const ExchangeTransaction& t : plan_.exchange.transactions) {
      if (t.controller == controller_) add_constants(t);
    }
    for (const PointRow& row : input_.points.rows) {
      if (row.controller == controller_) add_row(row);
    }
    std::string body;
    for (const ExchangeTransaction& t : plan_.exchange.transactions) {
      if (t.controller == controller_) body += status_text(t);
    }
    body += copies_text();
    for (Group& group : reads_) body += reading_text(group);
    for (const auto& h : plan_.exchange.heartbeats) body += heartbeat_text(h);
    body += sending_text();
    if (needs_word_) data_.own("bits32", "DWORD");
    if (needs_long_) data_.own("bits64", "LWORD");
    out.notes.emplace_back(
        "Call the program once a scan. Inputs are what it is told, outputs what it says; "
        "everything "
        "that has an address lies where the plan puts it.");
    out.notes.insert(out.notes.end(), notes_.begin(), notes_.end());
    out.pous = functions_called_by(body + data_.own_types());
    out.pous.push_back({PouKind::program,
                        program,
                        {},
                        {},
                        {std::move(table_), std::move(in_), std::move(out_), data_.own_block()},
                        std::move(body)});
    return out;
  }

 private:
  [[nodiscard]] const ExchangeTransaction* transaction_of(const PointRow& row) const {
    if (!row.transaction) return nullptr;
    const ExchangeTransaction* t = plan_.exchange.find(*row.transaction);
    return t != nullptr && t->controller == controller_ ? t : nullptr;
  }

  // The name of the tag that is this very value, else of the other end.
  std::string value_name(const PointRow& row) {
    if (row.tag) {
      const model::ResolvedTag& tag = plan_.tags[*row.tag];
      if (tag.memory && tag.memory->bits == row.memory) return iec_name(plan_.declared(tag).name);
    }
    return iec_name(row.where);
  }

  // The bits of one word that heartbeats of this program toggle.
  [[nodiscard]] unsigned beating_in(const model::BitRange& bits) const {
    unsigned mask = 0;
    for (const std::size_t at : places_.overlapping(bits)) {
      const model::MemoryUse& use = uses_[at];
      if (use.purpose != MemoryPurpose::heartbeat) continue;
      mask |= 1U << (use.bits.first - bits.first);
    }
    return mask;
  }

  // Whoever else puts something there; a program that did so too would be overwritten, or harm.
  [[nodiscard]] std::string filled_by(const model::BitRange& bits, bool beats_too) const {
    for (const std::size_t at : places_.overlapping(bits)) {
      const model::MemoryUse& use = uses_[at];
      const bool fills = use.purpose == MemoryPurpose::read ||
                         use.purpose == MemoryPurpose::status ||
                         (use.purpose == MemoryPurpose::heartbeat && beats_too) ||
                         use.purpose == MemoryPurpose::copy_target ||
                         use.purpose == MemoryPurpose::written_by_peer;
      if (fills) return to_text(owner_subject(plan_, use));
    }
    return {};
  }

  void note_left_out(const PointRow& row, std::string_view why) {
    notes_.push_back(
        fmt::format("left out: {} at {}: {}", row.where, layout_.name_of(row.memory), why));
  }

  void add_row(const PointRow& row) {
    if (!row.is_read) {
      for (const model::BitRange& constant : constants_) {
        if (constant == row.memory) return;
        if (!overlap(constant, row.memory)) continue;
        note_left_out(row, "a constant of the plan stands in this memory");
        return;
      }
      // a word of bits is put beside the bits that beat in it
      const bool beside = row.type.type.kind == model::TypeKind::bits && !data_.of_bits(row.memory);
      if (const std::string other = filled_by(row.memory, !beside); !other.empty()) {
        note_left_out(row, fmt::format("{} fills this memory", other));
        return;
      }
    }
    ValueForm form;
    form.type = row.type.type;
    if (!row.is_read && form.type.kind == model::TypeKind::bits) form.kept = beating_in(row.memory);
    form.scale = {row.factor.value_or(1), row.offset_value.value_or(0)};
    if (is_multi_register(form.type)) {
      auto order = row.in_memory;
      const auto& own = layout_.controller().word_order;
      if (!order && !row.is_read && row.swap && own) order = own->value;
      if (!order) {
        note_left_out(row, "the plan states no word order");
        return;
      }
      form.order = *order;
    } else if (form.type.kind == model::TypeKind::text) {
      form.order = row.in_memory.value_or(model::WordOrder::abcd);
    }
    if (!taken_.insert({row.is_read, row.memory}).second) {
      note_left_out(row, "another value of this program lies there");
      return;
    }
    const std::string name = data_.take(value_name(row));
    const std::string what = row.area ? fmt::format("{}:{} {}", short_name(*row.area), *row.offset,
                                                    to_text(row.type.type))
                                      : to_text(row.type);
    const RawPlace place = data_.declare(
        name, row.memory, fmt::format("{} {} {}", row.where, row.is_read ? "->" : "<-", what));
    IecVariable v = iec_variable(name, type_of(form), row.unit);
    if (form.scale.is_some()) {
      v.comment += fmt::format("{}= raw x {}", row.unit.empty() ? "" : " ", form.scale.factor);
      if (form.scale.offset != 0) v.comment += fmt::format(" + {}", form.scale.offset);
    }
    Group& group = group_of(row);
    const ValueText text = row.is_read ? decoding(name, form, place) : encoding(name, form, place);
    needs_word_ |= text.uses_bits32;
    needs_long_ |= text.uses_bits64;
    group.decodes_reals |= text.may_be_no_number;
    group.body += text.statements;
    group.zeros += fmt::format("    {} := {};\n", name, zero_of(type_of(form)));
    (row.is_read ? out_ : in_).variables.push_back(std::move(v));
  }

  // What the plan says is always sent, whether a map names it or not.
  void add_constants(const ExchangeTransaction& t) {
    for (const model::SentConstant& constant : t.constants) {
      const auto bits = model::memory_of(plan_, t, constant);
      const auto words =
          modbus::constant_words(constant, model::order_in_memory(plan_, t, constant));
      if (!bits || !words) continue;
      constants_.push_back(*bits);
      const std::string target = plan_.target_name(t.target);
      const std::string where = constant.point.empty() ? t.name : target + "." + constant.point;
      const std::string name = data_.take(iec_name(where));
      const RawPlace place =
          data_.declare(name, *bits, fmt::format("{} <- {}, always", where, constant.text));
      Group& group = group_of(t.transaction, false);
      if (place.bit || data_.of_bits(*bits)) {
        group.body += place.set_text((*words)[0] != 0 ? "TRUE" : "FALSE", "    ");
        continue;
      }
      for (std::size_t i = 0; i < words->size() && i < place.words.size(); ++i) {
        group.body += fmt::format("    {} := 16#{:04X};\n", place.words[i], (*words)[i]);
      }
    }
  }

  Group& group_of(const PointRow& row) {
    const ExchangeTransaction* t = transaction_of(row);
    return group_of(t != nullptr ? std::optional(t->transaction) : std::nullopt, row.is_read);
  }
  Group& group_of(std::optional<std::size_t> key, bool is_read) {
    std::vector<Group>& groups = is_read ? reads_ : writes_;
    const auto known = std::find_if(groups.begin(), groups.end(),
                                    [&](const Group& g) { return g.transaction == key; });
    if (known != groups.end()) return *known;
    groups.push_back({key, {}, {}, false});
    return groups.back();
  }

  // Outputs for all status bits of a transaction, and what its loss means.
  std::string status_text(const ExchangeTransaction& t) {
    std::string text;
    const std::string name = iec_name(t.name);
    std::string failed;
    for (const model::Status& s : t.status) {
      const bool word = s.kind == model::StatusKind::exception;
      const std::string out = data_.take(fmt::format("{}_{}", name, to_string(s.kind)));
      const RawPlace place =
          data_.declare(out, s.range.bits, fmt::format("{} of {}", to_string(s.kind), t.name));
      out_.variables.push_back(iec_variable(out, word ? "WORD" : "BOOL"));
      text += fmt::format("  {} := {};\n", out, word ? place.words.front() : place.condition());
      if (s.kind == model::StatusKind::failed) failed = out;
    }
    const bool counts = t.on_loss && *t.on_loss != OnLoss::none;
    if (counts && failed.empty()) {
      failed = data_.take(name + "_failed");
      in_.variables.push_back(
          iec_variable(failed, "BOOL", fmt::format("tell it: {} got no good reply", t.name)));
    }
    if (counts) {
      failed_[t.transaction] = failed;
      if (const std::string reaction = reaction_name(*t.on_loss); !reaction.empty()) {
        const std::string out = data_.take(name + reaction);
        out_.variables.push_back(
            iec_variable(out, "BOOL", fmt::format("on_loss = {}", to_string(*t.on_loss))));
        text += fmt::format("  {} := {};\n", out, failed);
      }
    }
    for (const auto& [bit, what] :
         {std::pair{t.trigger.bit, "starts"}, std::pair{t.gate, "lets run:"}}) {
      if (!bit) continue;
      data_.declare(fmt::format("{}_{}", name, what[0] == 's' ? "start" : "gate"), bit->bits,
                    fmt::format("{} {}", what, t.name));
    }
    return text.empty() ? text : "  " + iec_comment(t.name) + "\n" + text;
  }

  static std::string reaction_name(OnLoss reaction) {
    switch (reaction) {
      case OnLoss::alarm: return "_alarm";
      case OnLoss::warn: return "_warning";
      case OnLoss::stop: return "_stop_request";
      case OnLoss::hold:
      case OnLoss::zero:
      case OnLoss::none: break;
    }
    return {};
  }

  std::string reading_text(Group& group) {
    if (!group.transaction) {
      const std::string first = flagged(group, "others");
      return "  " + iec_comment("brought by copies and by other controllers") + "\n" + first +
             group.body;
    }
    const ExchangeTransaction& t = *plan_.exchange.find(*group.transaction);
    std::string text = "  " + iec_comment(t.name + " from " + plan_.target_name(t.target)) + "\n" +
                       flagged(group, iec_name(t.name));
    const auto failed = failed_.find(t.transaction);
    const bool holds = t.on_loss && (*t.on_loss == OnLoss::hold || *t.on_loss == OnLoss::zero);
    if (failed == failed_.end() || !holds) return text + group.body;
    text += fmt::format("  IF NOT {} THEN\n{}", failed->second, group.body);
    if (*t.on_loss == OnLoss::zero) text += "  ELSE\n" + group.zeros;
    return text + "  END_IF;\n";
  }

  // An output that tells of values that were none: they keep the last one.
  std::string flagged(Group& group, const std::string& name) {
    if (!group.decodes_reals) return {};
    const std::string flag = data_.take(name + "_no_number");
    out_.variables.push_back(iec_variable(
        flag, "BOOL", "some value was no number (NaN, infinite, no BCD) and kept its last"));
    // its name is known only now, as the values took theirs first
    for (std::size_t at = 0; (at = group.body.find(no_number_mark, at)) != std::string::npos;) {
      group.body.replace(at, no_number_mark.size(), flag);
    }
    return fmt::format("  {} := FALSE;\n", flag);
  }

  // What the program copies each scan, before anything is made of it.
  std::string copies_text() {
    std::string text;
    for (const model::ResolvedCopy& copy : plan_.copies) {
      if (copy.controller != controller_ || !copy.from || !copy.to) continue;
      const std::string name = fmt::format("copy_{}", copy.declared + 1);
      text += "  " + iec_comment(fmt::format("copy {}", copy.declared + 1)) + "\n" +
              copy_text(name, copy.from->bits, copy.to->bits);
    }
    return text;
  }

  std::string copy_text(const std::string& name, const model::BitRange& from,
                        const model::BitRange& to) {
    const auto in_words = [&](const model::BitRange& bits) {
      return !data_.of_bits(bits) && bits.first % model::bits_per_word == 0 &&
             bits.end % model::bits_per_word == 0;
    };
    const bool words = in_words(from) && in_words(to);
    if (!words && !(data_.of_bits(from) && data_.of_bits(to))) {
      std::string text;
      for (std::uint64_t i = 0; i < from.end - from.first; ++i) {
        const model::BitRange source{from.store, from.first + i, from.first + i + 1};
        const model::BitRange target{to.store, to.first + i, to.first + i + 1};
        const RawPlace read = data_.declare(name + "_from", source, name);
        text += data_.declare(name + "_to", target, name).set_text(read.condition(), "  ");
      }
      return text;
    }
    const std::uint64_t count = (from.end - from.first) / (words ? model::bits_per_word : 1);
    const std::string source = data_.declare_array(name + "_from", from);
    const std::string target = data_.declare_array(name + "_to", to);
    if (!copies_) data_.own("copied", "INT");
    copies_ = true;
    return fmt::format("  FOR copied := 0 TO {} DO\n    {}[copied] := {}[copied];\n  END_FOR;\n",
                       count - 1, target, source);
  }

  std::string sending_text() {
    if (writes_.empty()) return {};
    const std::string go = data_.take("send_values");
    in_.variables.insert(
        in_.variables.begin(),
        {go,
         {"BOOL", {}},
         {},
         "FALSE",
         {},
         "TRUE once every input below is as it should be: until then nothing is put into memory"});
    std::string text = fmt::format("  IF {} THEN\n", go);
    for (const Group& group : writes_) {
      const ExchangeTransaction* t =
          group.transaction ? plan_.exchange.find(*group.transaction) : nullptr;
      text += "  " +
              iec_comment(t != nullptr ? t->name + " to " + plan_.target_name(t->target)
                                       : std::string("fetched by other controllers")) +
              "\n" + group.body;
    }
    return text + "  END_IF;\n";
  }

  std::string heartbeat_text(const model::ExchangeHeartbeat& h) {
    std::string text;
    const std::string name = iec_name(h.name);
    if (h.from && h.bit && *h.from == controller_) {
      const std::string beat = data_.take(name + "_beat");
      const RawPlace place = data_.declare(name, h.bit->bits, h.name);
      data_.own(beat, "GM_BEAT");
      text += fmt::format("  {}(every := {});\n{}", beat, iec_time(h.toggle),
                          place.set_text(beat + ".beat", "  "));
    }
    if (h.to && *h.to == controller_) {
      const auto seen = place_seen(h);
      const std::string watch = data_.take(name + "_watch");
      const std::string lost = data_.take(name + "_lost");
      std::string bit;
      if (seen) {
        bit = data_.declare(name + "_seen", *seen, h.name).condition();
      } else {
        bit = data_.take(name + "_bit");
        in_.variables.push_back(
            iec_variable(bit, "BOOL", "the bit of " + h.name + " as it arrives"));
      }
      data_.own(watch, "GM_WATCH");
      out_.variables.push_back(iec_variable(
          lost, "BOOL", h.on_loss ? fmt::format("on_loss = {}", to_string(*h.on_loss)) : ""));
      text += fmt::format("  {0}(beat := {1}, longest := {2});\n  {3} := {0}.lost;\n", watch, bit,
                          iec_time(h.watch), lost);
    }
    return text.empty() ? text : "  " + iec_comment("heartbeat " + h.name) + "\n" + text;
  }

  // Where the consumer finds the bit: as the plan says, else where it gets to.
  [[nodiscard]] std::optional<model::BitRange> place_seen(const model::ExchangeHeartbeat& h) const {
    if (h.seen) return h.seen->bits;
    if (!h.from || !h.bit) return std::nullopt;
    for (const auto& traced : trace_value(plan_, model::memory_place(*h.from, h.bit->bits), {})) {
      if (traced.place.at_controller && traced.place.owner == *h.to) return traced.place.bits;
    }
    return std::nullopt;
  }

  const ExportInput& input_;
  const model::ResolvedPlan& plan_;
  const model::ControllerIndex controller_;
  const model::MemoryLayout& layout_;
  const std::vector<model::MemoryUse>& uses_;
  const model::BitIndex places_;  // of uses_
  IecData data_;
  IecBlock table_{IecSection::constant, {}};
  IecBlock in_{IecSection::input, {}};
  IecBlock out_{IecSection::output, {}};
  std::vector<std::string> notes_;
  std::vector<Group> reads_;
  std::vector<Group> writes_;
  std::map<std::size_t, std::string> failed_;  // per transaction
  std::set<std::pair<bool, model::BitRange>> taken_;
  bool copies_ = false;
  std::vector<model::BitRange> constants_;  // where they stand
  bool needs_word_ = false;
  bool needs_long_ = false;
};

}  // namespace

IecPrograms::IecPrograms(const ExportInput& input)
    : input_(input), uses_(model::memory_uses(input.plan)) {}

IecProgram IecPrograms::of(model::ControllerIndex controller) const {
  return Programmer(input_, controller, uses_[controller]).make();
}

}  // namespace greymet::exports
