#include "iec_others.h"

#include <fmt/format.h>

#include "iec_maps.h"

namespace greymet::exports {

using model::BitRange;
using model::bits_per_word;
using model::PointRow;

IecOthers::IecOthers(const model::ResolvedPlan& plan, model::ControllerIndex controller,
                     IecMemory& memory, model::UniqueNames& names)
    : plan_(plan), layout_(plan.layouts[controller]), memory_(memory) {
  read_ = {names.take("others"),
           names.take("OTHERS_VALUES"),
           "brought by copies and by other controllers",
           {},
           {}};
  sent_ = {
      names.take("others_set"), names.take("OTHERS_SETTINGS"), "for other controllers", {}, {}};
  (void)read_.names.take("no_number");
}

// The name of the tag that is this very value, else of the other end.
std::string IecOthers::value_name(const PointRow& row) const {
  if (row.tag) {
    const model::ResolvedTag& tag = plan_.tags[*row.tag];
    if (tag.memory && tag.memory->bits == row.memory) return iec_name(plan_.declared(tag).name);
  }
  return iec_name(row.where);
}

void IecOthers::note_needs(const ValueText& text) {
  needs_.uses_bits32 |= text.uses_bits32;
  needs_.uses_bits64 |= text.uses_bits64;
}

std::optional<std::string> IecOthers::add(const PointRow& row, std::optional<std::size_t> request,
                                          const std::string& flag, unsigned kept) {
  ValueForm form;
  form.type = row.type.type;
  form.scale = {row.factor.value_or(1), row.offset_value.value_or(0)};
  const auto order = order_of_memory(layout_, row);
  if (is_multi_register(form.type) && !order) return "the plan states no word order";
  form.order = order_number(order.value_or(model::WordOrder::abcd));
  if (row.is_read && !taken_.insert(row.memory).second) {
    return "another value of this program lies there";
  }
  Structure& structure = row.is_read ? read_ : sent_;
  const std::string member = structure.names.take(value_name(row));
  const std::string name = structure.variable + "." + member;
  structure.members.push_back(iec_variable(
      member, type_of(form),
      fmt::format("{} {} {}{}{}", layout_.name_of(row.memory), row.is_read ? "from" : "to",
                  row.where, row.unit.empty() ? "" : ", ", row.unit)));
  Group& group = groups_[request];
  // numbers that lie in single bits go by way of words
  const bool by_words = memory_.of_bits(row.memory) && form.type.kind != model::TypeKind::boolean;
  RawPlace place;
  for (std::uint64_t k = 0; by_words && bits_per_word * k < row.memory.end - row.memory.first;
       ++k) {
    place.words.push_back(fmt::format("words[{}]", k));
  }
  if (!by_words) place = memory_.place(row.memory);
  uses_words_ |= by_words;
  const std::string load = by_words ? memory_.load_words(row.memory, "    ") : std::string();
  if (row.is_read) {
    const ValueText text =
        decoding(name, form, place, flag.empty() ? read_.variable + ".no_number" : flag);
    note_needs(text);
    group.reading += load + text.statements;
    group.zeros += fmt::format("    {} := {};\n", name, zero_of(type_of(form)));
    return std::nullopt;
  }
  if (kept != 0) {
    group.sending += fmt::format("    {0} := ({1} AND 16#{2:04X}) OR ({0} AND 16#{3:04X});\n",
                                 place.words.front(), name, 0xFFFFU & ~kept, kept);
    return std::nullopt;
  }
  const ValueText text = encoding(name, form, place);
  note_needs(text);
  group.sending += load + text.statements;
  if (by_words) group.sending += memory_.store_words(row.memory, row.memory, 0, "    ");
  return std::nullopt;
}

const IecOthers::Group* IecOthers::find(std::optional<std::size_t> request) const {
  const auto found = groups_.find(request);
  return found == groups_.end() ? nullptr : &found->second;
}

std::string IecOthers::reading_text() const {
  const Group* group = find(std::nullopt);
  if (group == nullptr || group->reading.empty()) return {};
  return fmt::format("    {}\n    {}.no_number := FALSE;\n", iec_comment(read_.comment),
                     read_.variable) +
         group->reading;
}

void IecOthers::add_to(IecProgram& out, std::vector<IecVariable>& globals) const {
  if (!read_.members.empty()) {
    std::vector<IecVariable> members = read_.members;
    members.push_back(iec_variable("no_number", "BOOL", "some value kept its last"));
    out.types.push_back({read_.type, read_.comment, std::move(members)});
    globals.push_back(iec_variable(read_.variable, read_.type));
  }
  if (!sent_.members.empty()) {
    out.types.push_back({sent_.type, sent_.comment, sent_.members});
    globals.push_back(iec_variable(sent_.variable, sent_.type, "to be set"));
  }
}

}  // namespace greymet::exports
