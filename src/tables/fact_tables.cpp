#include <map>

#include "model/facts.h"
#include "model/resolved_plan.h"
#include "tables/plan_tables.h"

namespace greymet::tables {

using model::ResolvedPlan;

Table assumed_table(const ResolvedPlan& plan) {
  Table out{"assumed",
            "nothing is assumed",
            {{"fact", "fact", Kind::text, "the key of the plan that is not written", 9},
             {"subjects", "of", Kind::words, "of whom", 8},
             {"value", "taken for it", Kind::text, "the value that stands for it", 9},
             {"why", "why", Kind::text, "why this value and no other", 5},
             {"write", "write", Kind::text, "how it is stated", 6},
             {"settle", "found", Kind::text, "where it is found", 6}},
            {}};
  std::map<std::pair<model::FactKind, std::string>, Words> rows;
  for (const model::Fact& fact : plan.exchange.ledger.facts()) {
    if (fact.basis != model::Basis::assumed) continue;
    rows[{fact.id.kind, fact_text(fact.id.kind, fact.value)}].push_back(
        to_text(owner_subject(plan.plan, fact.id)));
  }
  for (auto& [key, subjects] : rows) {
    const model::FactTraits& traits = model::traits_of(key.first);
    out.add({text(traits.key), Cell(std::move(subjects)), text(key.second), text(traits.why),
             text(traits.example), text(traits.settle)});
  }
  return out;
}

Table measured_facts_table(const ResolvedPlan& plan) {
  Table out{"measured_facts",
            "nothing was measured",
            {{"fact", "fact", Kind::text, "the key of the plan", 9},
             {"subject", "of", Kind::text, "of whom", 9},
             {"value", "measured", Kind::text, "what counts", 9},
             {"answers", "answers", Kind::whole, "that it is the longest of", 7},
             {"before", "before", Kind::text, "what is stated, or was assumed", 8},
             {"basis", "which is", Kind::text, "stated or assumed", 8},
             {"longer", "longer", Kind::flag, "than what is stated", 6}},
            {}};
  for (const auto& [id, fact] : plan.plan.measured.facts) {
    const bool longer = fact.stated && std::get<model::Delay>(fact.value).max >
                                           std::get<model::Delay>(fact.before).max;
    out.add(
        {text(model::traits_of(id.kind).key), text(to_text(owner_subject(plan.plan, id))),
         text(fact_text(id.kind, fact.value)), whole(fact.answers),
         text(fact_text(id.kind, fact.before)), text(fact.stated ? "stated" : "assumed"), longer},
        longer ? Mood::bad : Mood::plain);
  }
  return out;
}

}  // namespace greymet::tables
