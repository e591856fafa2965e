#include "model/address_lookup.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "model/resolved_plan.h"

namespace greymet::model {
namespace {

constexpr std::array all_areas{Area::holding_register, Area::input_register, Area::discrete_input,
                               Area::coil};

// The meaning fits how this slave's manual counts.
bool counts_like(const AddressMeaning& meaning, Numbering numbering) {
  switch (meaning.counting) {
    case Counting::stated: return true;
    case Counting::from_0: return numbering == Numbering::from_0;
    case Counting::from_1: return numbering == Numbering::from_1;
  }
  return false;
}

// How a plan would have to write the text for it to mean this address of the slave; empty where it
// does not.
std::string planned_reading(std::string_view text, const ResolvedPlan& plan, std::string_view slave,
                            Address address) {
  const auto at = std::find_if(plan.plan.slaves.begin(), plan.plan.slaves.end(),
                               [&](const Slave& s) { return s.name == slave; });
  if (at == plan.plan.slaves.end()) return {};
  const Numbering numbering =
      plan.exchange.slaves[static_cast<std::size_t>(at - plan.plan.slaves.begin())].numbering;
  // a number with zeros in front is none in a plan: written as what it means
  std::string_view digits = text;
  while (digits.size() > 1 && digits.starts_with('0') && all_digits(text)) digits.remove_prefix(1);
  if (digits.size() < text.size()) {
    for (const std::string& written : {"0x" + std::string(text), std::string(digits)}) {
      const auto reading = read_address({written, true}, numbering);
      if (!reading || reading->offset != address.offset.value) continue;
      if (reading->area && *reading->area != address.area) continue;
      return fmt::format("at = {}", written);
    }
    return {};
  }
  for (const bool quoted : {false, true}) {
    const bool number = all_digits(text) || text.starts_with("0x");
    if (!quoted && !number) continue;
    const auto reading = read_address({std::string(text), !quoted}, numbering);
    if (!reading || reading->offset != address.offset.value) continue;
    if (reading->area && *reading->area != address.area) continue;
    return quoted ? fmt::format("at = \"{}\"", text) : fmt::format("at = {}", text);
  }
  return {};
}

class Lookup {
 public:
  Lookup(const ResolvedPlan& plan, std::string_view slave) : plan_(plan), slave_(slave) {}

  void name_points(const AddressMeaning& meaning, AddressAnswer& answer) const {
    for (std::size_t s = 0; s < plan_.plan.slaves.size(); ++s) {
      const Slave& slave = plan_.plan.slaves[s];
      if (!wanted(slave) || !slave.map) continue;
      if (!counts_like(meaning, plan_.exchange.slaves[s].numbering)) continue;
      const std::uint32_t offset = answer.address.offset.value;
      for (const Point* p :
           plan_.plan.maps[*slave.map].points_touching(answer.address.area, {offset, offset + 1})) {
        if (answer.bit && p->bit && *answer.bit != *p->bit) continue;
        const std::uint32_t inside = offset - extent_of(*p).first;
        answer.points.push_back(
            fmt::format("{}.{}{}", slave.name, p->name,
                        inside == 0 ? std::string() : fmt::format(" + {}", inside)));
      }
    }
  }

  // "grain_moisture" of any slave, or "moisture.grain_moisture".
  void add_named_points(std::string_view text, AddressAnswers& out) const {
    for (const Slave& slave : plan_.plan.slaves) {
      if (!wanted(slave) || !slave.map) continue;
      const std::string prefix = slave.name + ".";
      const std::string_view name = text.starts_with(prefix) ? text.substr(prefix.size()) : text;
      const Point* point = plan_.plan.maps[*slave.map].find(name);
      if (point == nullptr) continue;
      out.answers.push_back({fmt::format("point of {}", slave.name),
                             point->address,
                             point->bit,
                             {fmt::format("{}.{}", slave.name, point->name)},
                             {}});
    }
  }

  [[nodiscard]] std::vector<std::string> tags_at(const MemoryLayout& layout, const MemorySpot& spot,
                                                 const MemoryRange& word) const {
    BitRange bits = word.bits;
    if (spot.bit) {
      bits.first += *spot.bit;
      bits.end = bits.first + 1;
    }
    std::vector<std::string> names;
    for (const ResolvedTag& tag : plan_.tags) {
      if (&plan_.layouts[tag.controller] == &layout && tag.memory &&
          overlap(tag.memory->bits, bits)) {
        names.push_back(plan_.full_name(tag));
      }
    }
    return names;
  }

  // "%MW200" where a controller serves it. Returns what to say where none does.
  [[nodiscard]] std::optional<std::string> add_memory(std::string_view text,
                                                      AddressAnswers& out) const {
    std::optional<std::string> reason;
    for (const MemoryLayout& layout : plan_.layouts) {
      const auto spot = layout.read(text);
      if (!spot || !spot->number) continue;
      const auto range = layout.range(spot->area, *spot->number, 1);
      if (!range) {
        reason = range.error().message;
        continue;
      }
      const std::string& controller = layout.controller().name;
      const MemoryArea& area = layout.controller().memory[spot->area];
      reason = fmt::format("'{}' of controller {} is not served to peers", text, controller);
      for (const Area served : all_areas) {
        const auto base = layout.served_at(spot->area, served);
        if (!base) continue;
        const std::int64_t offset = *base + (*spot->number - area.first);
        if (offset >= addresses_per_area) continue;
        out.answers.push_back({fmt::format("memory of {}, as peers see it", controller),
                               {served, {static_cast<std::uint16_t>(offset)}},
                               spot->bit,
                               {fmt::format("{} {}", controller, text)},
                               tags_at(layout, *spot, *range)});
      }
    }
    return reason;
  }

 private:
  [[nodiscard]] bool wanted(const Slave& slave) const {
    return slave_.empty() || slave.name == slave_;
  }
  const ResolvedPlan& plan_;
  std::string_view slave_;
};

}  // namespace

tl::expected<AddressAnswers, AddressError> look_up_address(std::string_view text,
                                                           const ResolvedPlan* plan,
                                                           std::string_view slave,
                                                           std::optional<Area> known) {
  AddressAnswers out;
  const auto meanings = meanings_of(text);
  if (meanings) {
    out.doubts = meanings->doubts;
    for (const AddressMeaning& meaning : meanings->meanings) {
      for (const Area area : all_areas) {
        if (meaning.area && *meaning.area != area) continue;
        if (known && *known != area) continue;
        AddressAnswer answer{meaning.how, {area, meaning.offset}, meaning.bit, {}, {}};
        if (plan != nullptr) Lookup(*plan, slave).name_points(meaning, answer);
        if (plan != nullptr) answer.planned = planned_reading(text, *plan, slave, answer.address);
        out.answers.push_back(std::move(answer));
      }
    }
  }
  if (known) {
    // what is of another area all by itself is told as it is
    if (meanings && out.answers.empty()) return look_up_address(text, plan, slave);
    std::erase(out.doubts, doubt_of_area);
  }
  if (plan == nullptr) {
    if (meanings) return out;
    const bool may_be_name = text.find(':') == std::string_view::npos;
    if (may_be_name && (is_point_name(text) || text.starts_with('%'))) {
      return tl::unexpected(AddressError{
          fmt::format("'{}' is no number and can only be a name in a plan", quoted_start(text)),
          "write e.g. 4096, 0x1000, hr:4096 or 404097, or give the plan: --plan plan.toml"});
    }
    return tl::unexpected(meanings.error());
  }
  const Lookup lookup(*plan, slave);
  const std::size_t before = out.answers.size();
  lookup.add_named_points(text, out);
  if (before > 0 && out.answers.size() > before) {
    out.doubts.emplace_back("it may be a number or the name of a point");
  }
  const auto reason = meanings ? std::nullopt : lookup.add_memory(text, out);
  if (!out.answers.empty()) return out;
  if (text.find(':') != std::string_view::npos) return tl::unexpected(meanings.error());
  return tl::unexpected(AddressError{
      reason.value_or(fmt::format("'{}' is neither an address nor a point or memory of the plan",
                                  quoted_start(text))),
      "write e.g. 4096, 0x1000, hr:4096, 404097, or a point's name"});
}

}  // namespace greymet::model
