#include "tables/packing_tables.h"

namespace greymet::tables {

namespace {

Cell words_of(const model::Declared<std::string>& declared) {
  return declared ? text(declared->value) : Cell();
}

}  // namespace

Table requests_table(const packing::PackResult& result) {
  Table out{"requests",
            "nothing can be packed",
            {{"name", "name", Kind::text, "name of the transaction", 9},
             {"slave", "slave", Kind::text, "who answers", 9},
             {"fc", "fc", Kind::whole, "function code", 8},
             {"at", "at", Kind::whole, "protocol address of the first", 9},
             {"count", "count", Kind::whole, "registers or bits", 9},
             {"every_ms", "every", Kind::duration, "its period", 8},
             {"phase_ms", "phase", Kind::duration, "when its period begins", 6},
             {"points", "points", Kind::words, "what it brings", 5},
             {"into", "into", Kind::text, "memory that receives it", 8},
             {"from", "from", Kind::text, "memory that is written, of a write", 4},
             {"on", "on", Kind::text, "what makes a write go", 4}},
            {}};
  for (const packing::PackedRequest& r : result.requests) {
    out.add({text(r.declared.name), text(r.declared.slave->value), Cell(r.declared.function->value),
             whole(r.at.offset.value), whole(r.quantity), r.every, r.phase, Words(r.points),
             words_of(r.declared.into), words_of(r.declared.from), words_of(r.declared.on)});
  }
  return out;
}

Table changes_table(const std::vector<packing::TuneAdvice>& advice) {
  Table out{
      "proposals",
      "no change helps",
      {{"line", "line", Kind::text, "line or connection", 9, {}, true},
       {"goal", "goal", Kind::text, "what the change is to reach there", 7, {}, true},
       {"number", "number", Kind::whole, "what --write takes", 9},
       {"kind", "kind", Kind::text, "what sort of change it is", 7},
       {"change", "change", Kind::text, "what to change", 9},
       {"cost", "cost", Kind::text, "what it costs", 6},
       {"utilisation_percent", "use", Kind::number, "of the line afterwards", 6, "%"},
       {"missed", "missed", Kind::whole, "releases that are still missed then", 6},
       {"not_guaranteed", "not guaranteed", Kind::whole, "periods that are not guaranteed then", 5},
       {"response_simulated_ms", "longest response", Kind::duration, "seen then", 4}},
      {}};
  std::uint64_t number = 0;
  for (const packing::TuneAdvice& each : advice) {
    for (const packing::TuneChange& change : each.changes) {
      out.add({text(each.line), text(to_string(each.goal)), whole(++number),
               text(to_string(change.kind)), text(change.text), text(change.cost),
               change.after.utilisation_percent, whole(change.after.missed),
               whole(change.after.late), maybe(change.after.response_simulated)});
    }
  }
  return out;
}

}  // namespace greymet::tables
