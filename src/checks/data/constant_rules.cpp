// Family D, what the plan always sends (D11).
#include <map>

#include <fmt/format.h>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "modbus/constant_words.h"
#include "model/memory_use.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

using model::BitRange;
using model::ExchangeTransaction;
using model::MemoryPurpose;
using model::SentConstant;

namespace {

class ConstantRules {
 public:
  ConstantRules(const model::ResolvedPlan& plan, model::Findings& out)
      : plan_(plan), out_(out), uses_(model::memory_uses(plan)) {}

  void check(const ExchangeTransaction& t) {
    for (const SentConstant& constant : t.constants) {
      const auto raw = modbus::constant_raw(constant);
      if (!raw) {
        report_at(t, constant, raw.error(), "correct it");
        continue;
      }
      check_name(t, constant, *raw);
      if (memory_of(plan_, t, constant)) check_place(t, constant);
    }
  }

 private:
  // A state that the device does not know is refused by it, or worse, taken for another.
  void check_name(const ExchangeTransaction& t, const SentConstant& constant,
                  const modbus::RawValue& raw) {
    const model::RegisterMap* map = plan_.map_of(t.target);
    const model::Point* point =
        map == nullptr || constant.point.empty() ? nullptr : map->find(constant.point);
    const auto whole = modbus::whole_number(raw);
    if (point == nullptr || point->names.empty() || !whole) return;
    if (point->type.kind == model::TypeKind::bits) return;
    if (!name_of_value(*point, *whole).empty()) return;
    report_at(t, constant,
              fmt::format("the map has no name for it; it names {}", names_text(point->names)),
              "write one of those, or complete the column `names`");
    out_.back().severity = model::Severity::warning;
  }

  void report_at(const ExchangeTransaction& t, const SentConstant& constant,
                 const std::string& message, std::string remedy) {
    report(out_, model::RuleCode::D11, model::Severity::error, constant.place,
           subject_of(plan_.declared(plan_.transactions[t.transaction])),
           fmt::format("value = {}{}: {}", constant.text.substr(0, 40),
                       constant.point.empty() ? "" : fmt::format(" for '{}'", constant.point),
                       message),
           std::move(remedy));
  }

  void check_place(const ExchangeTransaction& t, const SentConstant& constant) {
    const BitRange bits = *memory_of(plan_, t, constant);
    const std::string place = plan_.layouts[t.controller].name_of(bits);
    for (const model::MemoryUse& use : uses_[t.controller]) {
      if (!puts_something(use.purpose) || !overlap(use.bits, bits)) continue;
      report_at(t, constant,
                fmt::format("it does not stay in {}: {} puts a value there as well", place,
                            to_text(model::owner_subject(plan_, use))),
                "send it from memory of its own");
      return;
    }
    for (const auto& [other, other_t] : known_[{t.controller.value, bits.store}]) {
      if (!overlap(*memory_of(plan_, *other_t, *other), bits)) continue;
      const bool same = other->text == constant.text && other->type == constant.type &&
                        other->factor == constant.factor && other->offset == constant.offset;
      if (same) continue;
      report_at(t, constant,
                fmt::format("{} of {} stands in {} too, as {}",
                            other->point.empty() ? "a value" : fmt::format("'{}'", other->point),
                            other_t->name, place, other->text),
                "send it from memory of its own");
      return;
    }
    known_[{t.controller.value, bits.store}].emplace_back(&constant, &t);
  }

  const model::ResolvedPlan& plan_;
  model::Findings& out_;
  model::Indexed<std::vector<model::MemoryUse>, model::ControllerIndex> uses_;
  std::map<std::pair<std::size_t, std::size_t>,
           std::vector<std::pair<const SentConstant*, const ExchangeTransaction*>>>
      known_;
};

}  // namespace

void check_constants(const RuleInput& in, model::Findings& out) {
  const auto& all = in.plan.exchange.transactions;
  const bool any =
      std::any_of(all.begin(), all.end(), [](const auto& t) { return !t.constants.empty(); });
  if (!any) return;
  ConstantRules rules(in.plan, out);
  for (const ExchangeTransaction& t : all) rules.check(t);
}

}  // namespace greymet::checks
