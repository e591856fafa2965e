// One controller's end of the exchange as a program: values out of memory, values into memory,
// heartbeats, what a loss means.
#include "iec_program.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "iec_direct.h"
#include "iec_maps.h"
#include "iec_memory.h"
#include "iec_others.h"
#include "iec_requests.h"
#include "iec_table.h"
#include "iec_values.h"
#include "modbus/constant_words.h"
#include "model/bit_index.h"
#include "model/fingerprint_word.h"
#include "model/memory_use.h"
#include "model/value_trace.h"

namespace greymet::exports {

using model::BitRange;
using model::ExchangeTransaction;
using model::MemoryPurpose;
using model::OnLoss;
using model::PointRow;

namespace {

model::BitIndex places_of(const std::vector<model::MemoryUse>& uses) {
  std::vector<BitRange> ranges;
  ranges.reserve(uses.size());
  for (const model::MemoryUse& use : uses) ranges.push_back(use.bits);
  return model::BitIndex(ranges);
}

class Programmer {
 public:
  Programmer(const ExportInput& input, const IecMaps& maps, model::ControllerIndex controller,
             const std::vector<model::MemoryUse>& uses)
      : input_(input),
        plan_(input.plan),
        maps_(maps),
        controller_(controller),
        layout_(plan_.layouts[controller]),
        uses_(uses),
        places_(places_of(uses)),
        names_(names_in_use(maps)),
        memory_(layout_, names_),
        direct_(plan_, maps, memory_, names_),
        others_(plan_, controller, memory_, names_),
        requests_(plan_, controller, places_, uses_, memory_, names_) {}

  IecProgram make() {
    IecProgram out;
    out.controller = layout_.controller().name;
    out.title = plan_.plan.title ? plan_.plan.title->value : "an exchange without a title";
    if (plan_.plan.revision) out.title += ", revision " + plan_.plan.revision->value;
    out.fingerprint = input_.fingerprint;
    out.scan = plan_.exchange.controllers[controller_].scan;
    out.program.kind = PouKind::program;
    out.program.name = names_.take(iec_name(out.controller + "_exchange"));
    for (const ExchangeTransaction& t : plan_.exchange.transactions) {
      if (t.controller == controller_) add_constants(t);
    }
    for (const PointRow& row : input_.points.rows) {
      if (row.controller == controller_) add_row(row);
    }
    std::string reading = copies_text();
    for (const ExchangeTransaction& t : plan_.exchange.transactions) {
      if (t.controller == controller_) reading += reading_text(t);
    }
    reading += others_.reading_text();
    std::string beats;
    for (const auto& h : plan_.exchange.heartbeats) beats += heartbeat_text(h);
    const std::string sending = sending_text();
    std::string body = fingerprint_text() + requests_.text(sends_anything_);
    body += health_text() + reading + beats + sending;
    add_notes(out);
    finish(out, std::move(body));
    return out;
  }

 private:
  // Names that nothing of ours gets: the plan's own tags, and types.
  [[nodiscard]] model::UniqueNames names_in_use(const IecMaps& maps) const {
    model::UniqueNames names = maps.names();
    for (const char* name : {"words", "bits", "bits32", "bits64", "i", "transactions", "requests",
                             "send_values", "GM_TRANSACTION", "GM_REQUEST"}) {
      (void)names.take(name);
    }
    for (const model::ResolvedTag& tag : plan_.tags) {
      if (tag.controller == controller_) (void)names.take(plan_.declared(tag).name);
    }
    return names;
  }

  // The bits of one word that heartbeats of this program toggle.
  [[nodiscard]] unsigned beating_in(const BitRange& bits) const {
    unsigned mask = 0;
    for (const std::size_t at : places_.overlapping(bits)) {
      const model::MemoryUse& use = uses_[at];
      if (use.purpose != MemoryPurpose::heartbeat) continue;
      mask |= 1U << (use.bits.first - bits.first);
    }
    return mask;
  }

  // Whoever else puts something there; a program that did so too would be overwritten, or harm.
  [[nodiscard]] std::string filled_by(const BitRange& bits, bool beats_too) const {
    for (const std::size_t at : places_.overlapping(bits)) {
      const model::MemoryUse& use = uses_[at];
      if (puts_something(use.purpose) && (use.purpose != MemoryPurpose::heartbeat || beats_too)) {
        return to_text(owner_subject(plan_, use));
      }
    }
    return {};
  }

  void note_left_out(const PointRow& row, std::string_view why) {
    notes_.push_back(
        fmt::format("left out: {} at {}: {}", row.where, layout_.name_of(row.memory), why));
  }

  [[nodiscard]] bool may_send(const PointRow& row, bool beside) {
    for (const BitRange& constant : constants_) {
      if (constant == row.memory) return false;
      if (!overlap(constant, row.memory)) continue;
      note_left_out(row, "a constant of the plan stands in this memory");
      return false;
    }
    if (const std::string other = filled_by(row.memory, !beside); !other.empty()) {
      note_left_out(row, fmt::format("{} fills this memory", other));
      return false;
    }
    return true;
  }

  void add_row(const PointRow& row) {
    // a word of bits is put beside the bits that beat in it
    const bool beside =
        !row.is_read && row.type.type.kind == model::TypeKind::bits && !memory_.of_bits(row.memory);
    if (!row.is_read && !may_send(row, beside)) return;
    const unsigned kept = beside ? beating_in(row.memory) : 0;
    const auto direct = direct_value(plan_, row);
    if (!direct) return add_other(row, kept);
    if (!row.is_read && overlaps_sent(row.memory)) {
      return note_left_out(row, "another value of this program lies there");
    }
    const auto order = order_of_memory(layout_, row);
    if (const auto why = direct_.add(row, *direct, order, kept)) return note_left_out(row, *why);
    if (!row.is_read) note_sent(row.memory);
  }

  void note_sent(const BitRange& bits) {
    sent_.push_back(bits);
    sends_anything_ = true;
  }

  [[nodiscard]] bool overlaps_sent(const BitRange& bits) const {
    return std::any_of(sent_.begin(), sent_.end(),
                       [&](const BitRange& other) { return overlap(other, bits); });
  }

  void add_other(const PointRow& row, unsigned kept) {
    if (!row.is_read && overlaps_sent(row.memory)) {
      return note_left_out(row, "another value of this program lies there");
    }
    const ExchangeTransaction* t =
        row.transaction ? plan_.exchange.find(*row.transaction) : nullptr;
    const bool own = t != nullptr && t->controller == controller_;
    const auto request = own ? std::optional(t->transaction) : std::nullopt;
    const std::string flag = own ? requests_.name_of(*t) + ".no_number" : std::string();
    if (const auto why = others_.add(row, request, flag, kept)) return note_left_out(row, *why);
    if (!row.is_read) note_sent(row.memory);
  }

  // What the plan says is always sent, whether a map names it or not.
  void add_constants(const ExchangeTransaction& t) {
    for (const model::SentConstant& constant : t.constants) {
      const auto bits = model::memory_of(plan_, t, constant);
      const auto words =
          modbus::constant_words(constant, model::order_in_memory(plan_, t, constant));
      if (!bits || !words) continue;
      constants_.push_back(*bits);
      sends_anything_ = true;
      std::string& text = constant_texts_[t.transaction];
      const std::string point = constant.point.empty() ? "" : constant.point + " = ";
      text += "    " + iec_comment(fmt::format("{}{}, always", point, constant.text)) + "\n";
      const RawPlace place = memory_.place(*bits);
      if (place.bit || memory_.of_bits(*bits)) {
        for (std::size_t k = 0; k < place.words.size(); ++k) {
          const unsigned held = (*words)[std::min(k / 16, words->size() - 1)];
          const bool on =
              place.bit || place.words.size() == 1 ? held != 0 : (held >> k % 16 & 1U) != 0;
          text += RawPlace{{place.words[k]}, place.bit}.set_text(on ? "TRUE" : "FALSE", "    ");
        }
        continue;
      }
      for (std::size_t k = 0; k < words->size() && k < place.words.size(); ++k) {
        text += fmt::format("    {} := 16#{:04X};\n", place.words[k], (*words)[k]);
      }
    }
  }

  std::string about(const ExchangeTransaction& t, std::string_view way) const {
    return "  " + iec_comment(fmt::format("{} {} {}", t.name, way, plan_.target_name(t.target))) +
           "\n";
  }

  std::string reading_text(const ExchangeTransaction& t) {
    const IecOthers::Group* others = others_.find(t.transaction);
    const bool has_others = others != nullptr && !others->reading.empty();
    const bool direct = direct_.reads(t.transaction);
    if (!direct && !has_others) return {};
    const std::string request = requests_.name_of(t);
    const std::string flag = request + ".no_number";
    std::string text = about(t, "from") + fmt::format("  IF {} THEN\n", requests_.has_values(t));
    text += direct ? direct_.reading_text(t.transaction, flag)
                   : fmt::format("    {} := FALSE;\n", flag);
    if (has_others) text += others->reading;
    if (t.on_loss && *t.on_loss == OnLoss::zero) {
      text += fmt::format("  ELSIF NOT {}.good THEN\n", request);
      if (direct) text += direct_.clearing_text(t.transaction);
      if (has_others) text += others->zeros;
      if (IecRequests::tells_failure(t)) text += memory_.clear(t.into->bits, "    ");
    }
    return text + "  END_IF;\n";
  }

  // What the program copies each scan, before anything is made of it.
  std::string copies_text() {
    std::string text;
    for (const model::ResolvedCopy& copy : plan_.copies) {
      if (copy.controller != controller_ || !copy.from || !copy.to) continue;
      sends_anything_ = true;
      text += "    " + iec_comment(fmt::format("copy {}", copy.declared + 1)) + "\n" +
              memory_.copy(copy.from->bits, copy.to->bits, "    ");
    }
    return text.empty() ? text : "  IF send_values THEN\n" + text + "  END_IF;\n";
  }

  std::string sending_text() {
    std::string text;
    for (const ExchangeTransaction& t : plan_.exchange.transactions) {
      if (t.controller != controller_) continue;
      std::string all = direct_.sending_text(t.transaction);
      if (const auto* others = others_.find(t.transaction)) all += others->sending;
      if (const auto always = constant_texts_.find(t.transaction);
          always != constant_texts_.end()) {
        all += always->second;
      }
      if (!all.empty()) text += "  " + about(t, "to") + all;
    }
    if (const auto* others = others_.find(std::nullopt);
        others != nullptr && !others->sending.empty()) {
      text += "    " + iec_comment("fetched by other controllers") + "\n" + others->sending;
    }
    return text.empty() ? text : "  IF send_values THEN\n" + text + "  END_IF;\n";
  }

  // From the first scan on: whoever asks knows which exchange is loaded.
  std::string fingerprint_text() {
    const auto& word = plan_.fingerprint_words[controller_];
    if (!word) return {};
    return "  " + iec_comment("the exchange this program was made of, for who asks") +
           fmt::format("\n  {} := 16#{:04X};\n", memory_.place(word->bits).words[0],
                       model::fingerprint_word_of(input_.fingerprint));
  }

  // A bit for each slave: none of its requests that may be sent is without a good reply.
  std::string health_text() {
    std::map<std::size_t, std::string> conditions;  // by slave
    for (const ExchangeTransaction& t : plan_.exchange.transactions) {
      if (t.controller != controller_ || t.target.is_peer || t.endpoint.broadcast) continue;
      const bool cyclic = t.trigger.kind == model::TriggerKind::cyclic;
      if (!cyclic && !IecRequests::tells_failure(t)) continue;
      const std::string request = requests_.name_of(t);
      conditions[t.target.index] +=
          fmt::format("{}\n    {}", conditions[t.target.index].empty() ? "" : " AND",
                      cyclic ? fmt::format("({0}.good OR NOT {0}.may_send)", request)
                             : fmt::format("NOT {}.failed", request));
    }
    std::string text;
    for (const auto& [slave, condition] : conditions) {
      const std::string& slave_name = plan_.plan.slaves[slave].name;
      const std::string name = names_.take(iec_name(slave_name + "_good"));
      globals_.push_back(
          iec_variable(name, "BOOL", "no request to " + slave_name + " is without a good reply"));
      text += fmt::format("  {} :={};\n", name, condition);
    }
    return text.empty() ? text : "  " + iec_comment("slaves, as a whole") + "\n" + text;
  }

  std::string heartbeat_text(const model::ExchangeHeartbeat& h) {
    std::string text;
    const std::string name = iec_name(h.name);
    if (h.from && h.bit && *h.from == controller_) {
      const std::string beat = names_.take(name + "_beat");
      sends_anything_ = true;
      own_.variables.push_back(iec_variable(beat, "GM_BEAT"));
      text += fmt::format(
          "  {}(run := send_values, every := {});\n  IF send_values THEN\n{}  END_IF;\n", beat,
          iec_time(h.toggle), memory_.place(h.bit->bits).set_text(beat + ".beat", "    "));
    }
    if (h.to && *h.to == controller_) {
      const auto seen = place_seen(h);
      const std::string watch = names_.take(name + "_watch");
      const std::string lost = names_.take(name + "_lost");
      std::string bit;
      if (seen) {
        bit = memory_.place(*seen).condition();
      } else {
        bit = names_.take(name + "_bit");
        globals_.push_back(
            iec_variable(bit, "BOOL", "to be set: the bit of " + h.name + " as it arrives"));
      }
      own_.variables.push_back(iec_variable(watch, "GM_WATCH"));
      globals_.push_back(iec_variable(
          lost, "BOOL", h.on_loss ? fmt::format("on_loss = {}", to_string(*h.on_loss)) : ""));
      text += fmt::format("  {0}(beat := {1}, longest := {2});\n  {3} := {0}.lost;\n", watch, bit,
                          iec_time(h.watch), lost);
    }
    return text.empty() ? text : "  " + iec_comment("heartbeat " + h.name) + "\n" + text;
  }

  // Where the consumer finds the bit: as the plan says, else where it gets to.
  [[nodiscard]] std::optional<BitRange> place_seen(const model::ExchangeHeartbeat& h) const {
    if (h.seen) return h.seen->bits;
    if (!h.from || !h.bit) return std::nullopt;
    for (const auto& traced : trace_value(plan_, model::memory_place(*h.from, h.bit->bits), {})) {
      if (traced.place.at_controller && traced.place.owner == *h.to) return traced.place.bits;
    }
    return std::nullopt;
  }

  void add_notes(IecProgram& out) {
    out.notes.emplace_back(
        "the program runs once a scan; what it says and what it is told are global variables: a "
        "structure of values read, and one of values to write (_set), for each slave");
    std::string areas;
    std::size_t number = 0;
    for (const model::MemoryArea& area : layout_.controller().memory) {
      areas += fmt::format("{}{} {}", areas.empty() ? "" : ", ", ++number, area.name);
    }
    if (!areas.empty()) out.notes.push_back("areas of memory in `transactions`: " + areas);
    for (std::string& note : requests_.notes()) out.notes.push_back(std::move(note));
    if (memory_.has_located_bits()) {
      out.notes.emplace_back(
          "taken for granted: areas of bits and of words are apart, as the plan has them; where "
          "they share memory, bits have to be declared elsewhere");
    }
    for (const std::string& area : memory_.unlocated()) {
      out.notes.push_back(area +
                          ", which has no direct address: bring it in before the program runs, "
                          "and back behind it, or let the system place it there");
    }
    out.notes.insert(out.notes.end(), notes_.begin(), notes_.end());
  }

  void finish(IecProgram& out, std::string body) {
    if (auto table = transaction_table(plan_, controller_)) {
      out.library.types.push_back(std::move(table->type));
      out.globals.push_back({IecSection::global_constant, {std::move(table->variable)}});
      out.library.types.push_back(request_type());
    }
    IecBlock constants{IecSection::external_constant, requests_.numbers()};
    if (!constants.variables.empty()) {
      IecBlock numbers{IecSection::global_constant, constants.variables};
      out.globals.push_back(std::move(numbers));
      for (IecVariable& v : constants.variables) v.initial.clear();
    }
    std::vector<IecVariable> globals;
    if (sends_anything_) {
      globals.push_back(iec_variable(
          "send_values", "BOOL",
          "to be set once all values to write are as they should be: until then nothing is put "
          "into memory, and no heartbeat beats"));
    }
    if (const auto all = requests_.variable()) globals.push_back(*all);
    direct_.add_to(globals);
    others_.add_to(out, globals);
    globals.insert(globals.end(), globals_.begin(), globals_.end());
    std::vector<IecVariable> memory = memory_.variables();
    globals.insert(globals.end(), memory.begin(), memory.end());
    IecBlock external{IecSection::external, globals};
    for (IecVariable& v : external.variables) v.at = v.comment = v.initial = {};
    out.globals.push_back({IecSection::global, std::move(globals)});
    for (const auto& more : {requests_.own(), direct_.own()}) {
      own_.variables.insert(own_.variables.end(), more.begin(), more.end());
    }
    if (direct_.uses_words() || others_.uses_words()) {
      own_.variables.push_back(iec_array("words", "WORD", most_registers_of_block));
    }
    own_.variables.push_back(iec_variable("i", "INT"));
    if (others_.needs().uses_bits32) own_.variables.push_back(iec_variable("bits32", "DWORD"));
    if (others_.needs().uses_bits64) own_.variables.push_back(iec_variable("bits64", "LWORD"));
    for (const std::size_t m : direct_.used_maps()) maps_.all().at(m).add_to(out.maps);
    out.program.blocks = {std::move(external), std::move(constants), std::move(own_)};
    out.program.body = std::move(body);
    std::string calls = text_that_calls(out.program);
    for (const IecPou& pou : out.maps.pous) calls += text_that_calls(pou);
    out.library.pous = functions_called_by(calls);
  }

  const ExportInput& input_;
  const model::ResolvedPlan& plan_;
  const IecMaps& maps_;
  const model::ControllerIndex controller_;
  const model::MemoryLayout& layout_;
  const std::vector<model::MemoryUse>& uses_;
  const model::BitIndex places_;  // of uses_
  model::UniqueNames names_;
  IecMemory memory_;
  IecDirect direct_;
  IecOthers others_;
  IecRequests requests_;
  std::map<std::size_t, std::string> constant_texts_;  // per transaction
  std::vector<BitRange> constants_;                    // where they stand
  std::vector<BitRange> sent_;
  IecBlock own_{IecSection::local, {}};
  std::vector<IecVariable> globals_;
  std::vector<std::string> notes_;
  bool sends_anything_ = false;
};

}  // namespace

IecPrograms::IecPrograms(const ExportInput& input)
    : input_(input),
      maps_(std::make_unique<IecMaps>(input)),
      uses_(model::memory_uses(input.plan)) {}

IecPrograms::~IecPrograms() = default;

IecProgram IecPrograms::of(model::ControllerIndex controller) const {
  return Programmer(input_, *maps_, controller, uses_[controller]).make();
}

}  // namespace greymet::exports
