#include "tables/probe_tables.h"

namespace greymet::tables {

Table probe_table(const std::vector<ProbeRow>& rows) {
  Table out{"probe answers",
            "nothing was asked",
            {{"slave", "slave", Kind::text, "who was asked", 9},
             {"what", "what", Kind::text,
              "value, function, hole, edge, length, times, unit or settings", 9},
             {"asked", "asked", Kind::text, "registers, function, unit or settings", 9},
             {"answer", "answer", Kind::text, "words, exception, times, or why there was none", 8},
             {"verdict", "verdict", Kind::state, "what it shows", 9}},
            {}};
  for (const ProbeRow& row : rows) {
    out.add({text(row.slave), text(row.what), text(row.asked), text(row.answer), row.verdict},
            row.verdict.mood);
  }
  return out;
}

Table readings_table(const std::vector<ReadingRow>& rows) {
  Table out{"probe readings",
            "no registers were read",
            {{"slave", "slave", Kind::text, "who was asked", 3},
             {"asked", "asked", Kind::text, "the registers", 9},
             {"words", "words", Kind::text, "in hexadecimal", 9},
             {"type", "type", Kind::text, "as which they are read", 9},
             {"abcd", "ABCD", Kind::text, "the value in this order of its bytes", 9},
             {"cdab", "CDAB", Kind::text, "the value in this order of its bytes", 9},
             {"badc", "BADC", Kind::text, "the value in this order of its bytes", 9},
             {"dcba", "DCBA", Kind::text, "the value in this order of its bytes", 9}},
            {}};
  for (const ReadingRow& row : rows) {
    out.add({text(row.slave), text(row.asked), text(row.words), text(row.type), text(row.abcd),
             text(row.cdab), text(row.badc), text(row.dcba)});
  }
  return out;
}

Table plan_lines_table(const std::vector<PlanLineRow>& rows) {
  Table out{"plan lines",
            "nothing is settled",
            {{"slave", "slave", Kind::text, "whose key it is", 9},
             {"key", "key", Kind::text, "of [slave.NAME]", 9},
             {"value", "value", Kind::text, "as the plan would have it", 9},
             {"because", "because", Kind::text, "what shows it", 8},
             {"verdict", "verdict", Kind::state, "new, as stated, or contradicts the plan", 9}},
            {}};
  for (const PlanLineRow& row : rows) {
    out.add({text(row.slave), text(row.key), text(row.value), text(row.because), row.verdict},
            row.verdict.mood);
  }
  return out;
}

}  // namespace greymet::tables
