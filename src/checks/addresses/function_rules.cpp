// Family F, first half: function codes and quantities (F01 to F08, F14).
#include <algorithm>

#include "block_split.h"
#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/rule_text.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

using internal::amount_text;
using internal::range_text;

namespace {

// The functions that reach an area in one direction, for remedies.
std::string functions_for(Area area, bool is_read) {
  switch (area) {
    case Area::coil: return is_read ? "fc = 1" : "fc = 5 or 15";
    case Area::discrete_input: return is_read ? "fc = 2" : "nothing: discrete inputs are read-only";
    case Area::input_register: return is_read ? "fc = 4" : "nothing: input registers are read-only";
    case Area::holding_register: return is_read ? "fc = 3" : "fc = 6 or 16";
  }
  return {};
}

class FunctionRules {
 public:
  FunctionRules(const model::ResolvedPlan& plan, Findings& out)
      : plan_(plan), out_(out), range_is_wrong_(plan.transactions.size()), names_(plan) {}

  [[nodiscard]] const std::vector<WrongHalves>& range_is_wrong() const { return range_is_wrong_; }

  void check(std::size_t index) {
    const ResolvedTransaction& t = plan_.transactions[index];
    if (!t.function) return;
    subject_ = subject_of(plan_.declared(t));
    index_ = index;
    bool area_fits = true;
    for (const bool is_read : {true, false}) {
      const auto& block = is_read ? t.read : t.write;
      if (!block) continue;
      area_fits = check_area(t, *block, is_read) && area_fits;
      check_quantity(t, *block, is_read);
      check_end(*block, is_read);
      if (area_fits) check_access(t, *block, is_read);
    }
    if (area_fits) check_offered(t);
    check_overlap_of_23(t);
  }

 private:
  // Of the finding to come.
  void is_wrong(const DeviceBlock& block, bool is_read) {
    (is_read ? range_is_wrong_[index_].read : range_is_wrong_[index_].write) = true;
    part_ = {is_read, block.extent()};
  }

  // F01
  bool check_area(const ResolvedTransaction& t, const DeviceBlock& block, bool is_read) {
    const Area area = model::traits_of(*t.function).area;
    if (block.area == area) return true;
    is_wrong(block, is_read);
    report(out_, RuleCode::F01, Severity::error, block.at_place, subject_,
           fmt::format("{} is {}; function {} reaches {}s",
                       range_text(block.area, {block.offset, block.offset + 1}),
                       with_article(block.area), number_of(*t.function), long_name(area)),
           fmt::format("for {}s use {}, or write the address as {}:{}", long_name(block.area),
                       functions_for(block.area, is_read), short_name(area), block.offset));
    out_.back().part = part_;
    cure_area(t, block, is_read);
    return false;
  }

  // The function for the address, where one alone can be meant.
  void cure_area(const ResolvedTransaction& t, const DeviceBlock& block, bool is_read) {
    const auto& declared = plan_.declared(t);
    if (!declared.function || (declared.read || declared.write)) return;
    const bool bits = is_bit_area(block.area);
    int code = 0;
    switch (block.area) {
      case Area::discrete_input: code = is_read ? 2 : 0; break;
      case Area::input_register: code = is_read ? 4 : 0; break;
      case Area::coil:
      case Area::holding_register:
        code = is_read ? (bits ? 1 : 3) : block.quantity == 1 ? (bits ? 5 : 6) : (bits ? 15 : 16);
    }
    if (code == 0) return;
    internal::cure_by_keys(out_, fmt::format("write fc = {}", code), block.at_place,
                           {{"fc", fmt::format("{}", code)}}, false);
  }

  // F02, F06
  void check_quantity(const ResolvedTransaction& t, const DeviceBlock& block, bool is_read) {
    const auto& traits = model::traits_of(*t.function);
    if (!is_read && model::writes_single(*t.function)) {
      if (block.quantity == 1) return;
      is_wrong(block, is_read);
      const bool bits = is_bit_area(traits.area);
      const bool mask = t.function == model::FunctionCode::mask_write_register;
      report(out_, RuleCode::F06, Severity::error, block.count_place, subject_,
             fmt::format("function {} writes one {}, not {}", number_of(*t.function),
                         bits ? "coil" : "register", block.quantity),
             mask ? std::string("write count = 1")
                  : fmt::format("write fc = {}, or count = 1", bits ? 15 : 16));
      out_.back().part = part_;
      if (mask) {
        internal::cure_by_keys(out_, "write count = 1", block.count_place, {{"count", "1"}}, false);
        return;
      }
      if (block.count_place.has_end()) {
        internal::cure_by_keys(out_, fmt::format("write fc = {}", bits ? 15 : 16),
                               block.count_place, {{"fc", bits ? "15" : "16"}}, false);
      }
      return;
    }
    const std::uint32_t standard = is_read ? traits.most_read : traits.most_write;
    const std::uint32_t limit = std::min(standard, own_limit(t, traits.area, is_read));
    if (limit == 0 || block.quantity <= limit) return;
    is_wrong(block, is_read);
    const auto parts =
        internal::split_by_limit(plan_.map_of(*t.target), block.area, block.extent(), limit);
    const std::string whose =
        limit < standard ? fmt::format("{} accepts at most {}", plan_.target_name(*t.target), limit)
                         : fmt::format("one request carries at most {}", limit);
    const model::Numbering numbering = plan_.numbering_of(*t.target);
    report(out_, RuleCode::F02, Severity::error, block.count_place, subject_,
           fmt::format("asks for {}; {}", amount_text(block.area, block.quantity), whose),
           fmt::format("split after {}:{}: {}", short_name(block.area), parts.front().end - 1,
                       internal::split_text(block, parts, numbering)));
    out_.back().part = part_;
    internal::cure_by_split(out_, out_.back().remedy, plan_, names_, index_, is_read, parts, false);
  }

  // Of who answers, whatever the function.
  [[nodiscard]] std::uint32_t own_limit(const ResolvedTransaction& t, Area area,
                                        bool is_read) const {
    const model::Accepts accepts =
        t.target->is_peer ? model::Accepts{} : plan_.exchange.slaves[t.target->index].accepts;
    return static_cast<std::uint32_t>(accepts.most(area, is_read));
  }

  // F03
  void check_end(const DeviceBlock& block, bool is_read) {
    const std::uint32_t end = block.offset + block.quantity;
    if (end <= model::addresses_per_area) return;
    is_wrong(block, is_read);
    report(out_, RuleCode::F03, Severity::error, block.at_place, subject_,
           fmt::format("{} from {}:{} would end at {}, past the last address, 65535",
                       amount_text(block.area, block.quantity), short_name(block.area),
                       block.offset, end - 1),
           fmt::format("count = {} reaches the last address",
                       model::addresses_per_area - block.offset));
    out_.back().part = part_;
    internal::cure_by_keys(
        out_, fmt::format("write count = {}", model::addresses_per_area - block.offset),
        block.at_place, {{"count", fmt::format("{}", model::addresses_per_area - block.offset)}},
        false);
  }

  // F04, F05
  void check_offered(const ResolvedTransaction& t) {
    const auto& declared = plan_.declared(t);
    const model::Range place = place_or(declared.function, declared.place);
    const auto lacks = [&t](const auto& functions) {
      return functions &&
             std::none_of(functions->value.begin(), functions->value.end(),
                          [&t](const auto& f) { return f.value == number_of(*t.function); });
    };
    const auto list = [](const auto& functions) {
      std::string text;
      for (const auto& f : functions->value)
        text += fmt::format("{}{}", text.empty() ? "" : ", ", f.value);
      return text;
    };
    if (t.target && !t.target->is_peer) {
      const model::Slave& slave = plan_.plan.slaves[t.target->index];
      if (lacks(slave.functions)) {
        report(out_, RuleCode::F04, Severity::error, place, subject_,
               fmt::format("{} does not implement function {}; it has {}", slave.name,
                           number_of(*t.function), list(slave.functions)),
               "use one of those, or correct `functions` of the slave",
               {{slave.functions->place, "its functions are here"}});
      }
    }
    if (!t.controller) return;
    const model::Controller& controller = plan_.plan.controllers[*t.controller];
    if (controller.model && lacks(controller.model->functions)) {
      report(out_, RuleCode::F05, Severity::error, place, subject_,
             fmt::format("controller {} ({}) cannot send function {}; it has {}", controller.name,
                         controller.model->file, number_of(*t.function),
                         list(controller.model->functions)),
             "use one of those, or another model of controller",
             {{controller.model->functions->place, "its functions are here"}});
    }
  }

  // F07, F08
  void check_access(const ResolvedTransaction& t, const DeviceBlock& block, bool is_read) {
    const model::RegisterMap* map = plan_.map_of(*t.target);
    if (map == nullptr || range_is_wrong_[index_].of(is_read)) return;
    const model::Access forbidden = is_read ? model::Access::write : model::Access::read;
    std::vector<std::string> names;
    std::vector<model::Related> related;
    for (const model::Point* point : map->points_touching(block.area, block.extent())) {
      if (point->access != forbidden) continue;
      if (names.empty()) related.push_back({point->place, "the map says so here"});
      names.push_back(point->name);
    }
    if (names.empty()) return;
    constexpr std::size_t most_shown = 3;
    const std::size_t more = names.size() > most_shown ? names.size() - most_shown : 0;
    names.resize(std::min(names.size(), most_shown));
    report(out_, is_read ? RuleCode::F08 : RuleCode::F07, Severity::error, block.at_place, subject_,
           fmt::format("{} {}-only: {}{}", is_read ? "reads what is" : "writes what is",
                       is_read ? "write" : "read", fmt::join(names, ", "),
                       more > 0 ? fmt::format(" and {} more", more) : ""),
           fmt::format("leave them out of the block, or correct `access` in {}", map->file()),
           std::move(related));
    out_.back().part = {is_read, block.extent()};
  }

  // F14
  void check_overlap_of_23(const ResolvedTransaction& t) {
    if (!t.read || !t.write || t.read->area != t.write->area) return;
    const std::uint32_t first = std::max(t.read->offset, t.write->offset);
    const std::uint32_t end = std::min(t.read->extent().end, t.write->extent().end);
    if (first >= end) return;
    report(out_, RuleCode::F14, Severity::note, t.read->at_place, subject_,
           fmt::format("function 23 writes first: {} come back as just written",
                       range_text(t.read->area, {first, end})),
           "read them with a transaction of their own if the slave may change them",
           {{t.write->at_place, "the write part is here"}});
  }

  const model::ResolvedPlan& plan_;
  Findings& out_;
  model::Subject subject_;
  std::vector<WrongHalves> range_is_wrong_;
  model::Part part_;
  internal::FreshNames names_;
  std::size_t index_ = 0;
};

}  // namespace

void check_functions(const RuleInput& in, Findings& out) {
  FunctionRules rules(in.plan, out);
  for (std::size_t i = 0; i < in.plan.transactions.size(); ++i) rules.check(i);
}

std::vector<WrongHalves> wrong_ranges(const model::ResolvedPlan& plan) {
  Findings ignored;
  FunctionRules rules(plan, ignored);
  for (std::size_t i = 0; i < plan.transactions.size(); ++i) rules.check(i);
  return rules.range_is_wrong();
}

}  // namespace greymet::checks
