#include "tables/audit_tables.h"

namespace greymet::tables {

Table audit_table(const std::vector<AuditRow>& rows) {
  Table out{
      "audit",
      "the plan has no transactions",
      {{"name", "transaction", Kind::text, "of the plan", 9},
       {"planned_period_ms", "planned", Kind::duration, "its period in the plan", 8},
       {"seen", "seen", Kind::whole, "requests in the capture", 9},
       {"period_mean_ms", "period", Kind::number, "mean time from request to request", 9, "ms"},
       {"reply_median_ms", "median reply", Kind::duration,
        "half of the answers came within it, from the end of the request to theirs", 5},
       {"reply_p99_ms", "99 % reply", Kind::duration, "99 of 100 answers came within it", 8},
       {"response_bound_ms", "bound", Kind::duration, "no response should be longer", 4},
       {"exceptions", "exceptions", Kind::whole, "answers that refuse", 7},
       {"timeouts", "timeouts", Kind::whole, "requests without an answer", 7},
       {"verdict", "verdict", Kind::state,
        "good, missing, slow, often, late, failing, shifted, changed or not seen", 9},
       {"note", "note", Kind::text, "what was seen instead", 6}},
      {}};
  for (const AuditRow& row : rows) {
    out.add({text(row.name), maybe(row.planned_period), whole(row.seen), maybe(row.period_mean_ms),
             maybe(row.reply_median), maybe(row.reply_p99), maybe(row.bound), whole(row.exceptions),
             whole(row.timeouts), row.verdict, text(row.note)},
            row.verdict.mood);
  }
  return out;
}

Table unplanned_table(const std::vector<UnplannedRow>& rows) {
  Table out{
      "unplanned",
      "nothing was asked that the plan does not have",
      {{"asked", "asked", Kind::text, "function, registers, unit and place", 9},
       {"clients", "by", Kind::words, "who asked", 6},
       {"seen", "seen", Kind::whole, "requests in the capture", 9},
       {"period_mean_ms", "period", Kind::number, "mean time from request to request", 8, "ms"},
       {"exceptions", "exceptions", Kind::whole, "answers that refuse", 6},
       {"timeouts", "timeouts", Kind::whole, "requests without an answer", 6},
       {"nearest", "most like", Kind::text, "the planned transaction of that unit", 8}},
      {}};
  for (const UnplannedRow& row : rows) {
    out.add({text(row.asked), Words(row.clients), whole(row.seen), maybe(row.period_mean_ms),
             whole(row.exceptions), whole(row.timeouts), text(row.nearest)});
  }
  return out;
}

Table silences_table(const std::vector<SilenceRow>& rows) {
  Table out{"silences",
            "no silence is longer than the plan lets one expect",
            {{"wire", "at", Kind::text, "line, or host and port", 8},
             {"from_ms", "from", Kind::duration, "since the first frame of the capture", 8},
             {"length_ms", "long", Kind::duration, "nothing was on the wire for it", 9},
             {"why", "why", Kind::state, "no answer, slow answer, or nobody asks", 9},
             {"asked", "asked", Kind::text, "what was asked last before it", 6},
             {"transaction", "transaction", Kind::text, "of the plan that asks so", 7}},
            {}};
  for (const SilenceRow& row : rows) {
    out.add({text(row.wire), Cell(row.from), Cell(row.length), row.why, text(row.asked),
             text(row.transaction)},
            row.why.mood);
  }
  return out;
}

Table clients_table(const std::vector<ClientRow>& rows) {
  Table out{"clients",
            "nobody asked",
            {{"wire", "at", Kind::text, "line, or host and port, that was asked", 9},
             {"client", "by", Kind::text, "who asked", 9},
             {"requests", "requests", Kind::whole, "of it", 9}},
            {}};
  for (const ClientRow& row : rows) {
    out.add({text(row.wire), text(row.client), whole(row.requests)});
  }
  return out;
}

}  // namespace greymet::tables
