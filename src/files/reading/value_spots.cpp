#include "value_spots.h"

#include <fmt/format.h>

#include "model/nearest_name.h"

namespace greymet::files::internal {

using engine::ValueSpot;

std::optional<ValueSpot> Spots::read(RowReader& in, model::Duration when) {
  const Cell* c = in.needed("where");
  if (c == nullptr) return std::nullopt;
  const auto [first, is_new] = seen_.try_emplace(std::pair(c->text, when), in.number_of_row());
  if (!is_new) {
    in.fail();
    in.report(c->place,
              fmt::format("row {}: '{}' stands in row {} already", in.number_of_row(),
                          c->text.substr(0, 60), first->second),
              "keep one of the two");
    return std::nullopt;
  }
  const std::size_t dot = c->text.find('.');
  const std::string owner = c->text.substr(0, dot);
  const std::string rest = dot == std::string::npos ? std::string() : c->text.substr(dot + 1);
  ValueSpot spot;
  spot.where = c->text;
  spot.place = c->place;
  const auto& slaves = plan_.plan.slaves;
  for (std::size_t s = 0; s < slaves.size(); ++s) {
    if (slaves[s].name == owner) return point_of(in, *c, s, rest, spot);
  }
  const auto& controllers = plan_.plan.controllers;
  for (std::size_t i = 0; i < controllers.size(); ++i) {
    if (controllers[i].name == owner) return memory_of(in, *c, i, rest, spot);
  }
  std::vector<std::string_view> known;
  for (const auto& slave : slaves) known.emplace_back(slave.name);
  for (const auto& controller : controllers) known.emplace_back(controller.name);
  in.bad(
      *c, "where",
      fmt::format("slave.point or controller.address{}", model::nearest_or_example(owner, known)));
  return std::nullopt;
}

std::optional<ValueSpot> Spots::point_of(RowReader& in, const Cell& c, std::size_t slave,
                                         const std::string& name, ValueSpot spot) const {
  const model::RegisterMap* map = plan_.map_of({false, slave, 0});
  const model::Point* point = map == nullptr ? nullptr : map->find(name);
  if (point != nullptr) {
    spot.slave = slave;
    spot.point = static_cast<std::size_t>(point - map->points().data());
    return spot;
  }
  std::vector<std::string_view> known;
  if (map != nullptr) {
    for (const model::Point& each : map->points()) known.emplace_back(each.name);
  }
  in.bad(c, "where",
         fmt::format("a point of slave {}{}", plan_.plan.slaves[slave].name,
                     model::nearest_or_example(name, known)));
  return std::nullopt;
}

std::optional<ValueSpot> Spots::memory_of(RowReader& in, const Cell& c, std::size_t controller,
                                          const std::string& text, ValueSpot spot) const {
  spot.controller = model::ControllerIndex(controller);
  const model::MemoryLayout& layout = plan_.layouts[controller];
  for (const model::ResolvedTag& tag : plan_.tags) {
    if (tag.controller != spot.controller || plan_.declared(tag).name != text) continue;
    return tag_of(in, c, tag, spot);
  }
  const auto at = layout.read(text);
  if (!at || !at->number) {
    in.bad(c, "where",
           fmt::format("a word, a bit or a tag of controller {}, such as {}.{}",
                       plan_.plan.controllers[controller].name,
                       plan_.plan.controllers[controller].name, example(controller)));
    return std::nullopt;
  }
  const bool is_bit =
      at->bit || layout.controller().memory[at->area].kind == model::MemoryKind::bit;
  const auto range = is_bit ? layout.single_bit(*at) : layout.range(at->area, *at->number, 1);
  if (!range) {
    in.fail();
    in.report(c.place, fmt::format("row {}: {}", in.number_of_row(), range.error().message),
              "name a word or a bit that the controller has");
    return std::nullopt;
  }
  spot.memory = *range;
  return spot;
}

std::optional<ValueSpot> Spots::tag_of(RowReader& in, const Cell& c, const model::ResolvedTag& tag,
                                       ValueSpot spot) const {
  if (!tag.memory) {
    in.bad(c, "where", "a tag whose address can be read");
    return std::nullopt;
  }
  spot.memory = tag.memory;
  if (tag.memory->bit || tag.memory->count == 1) return spot;
  const model::Tag& declared = plan_.declared(tag);
  const auto order = plan_.order_of(tag);
  model::Point as;
  as.name = declared.name;
  as.type = declared.type.type;
  as.factor = declared.factor.value_or(1);
  as.offset = declared.offset.value_or(0);
  as.word_order = order;
  if (declared.type.raw || tag.memory->bits.end - tag.memory->bits.first !=
                               model::bits_per_word * model::registers_of(as.type)) {
    in.bad(c, "where", "a tag with a type: this one is a string of bits");
    return std::nullopt;
  }
  if (!order && model::is_multi_register(as.type)) {
    in.fail();
    in.report(c.place,
              fmt::format("row {}: nobody says in which order {} keeps its words",
                          in.number_of_row(), c.text),
              "write word_order into the tag table or for the controller");
    return std::nullopt;
  }
  spot.as = as;
  return spot;
}

std::string Spots::example(std::size_t controller) const {
  const auto& memory = plan_.plan.controllers[controller].memory;
  return memory.empty() ? std::string("%MW100")
                        : fmt::format("{}{}", memory[0].name, memory[0].first);
}

}  // namespace greymet::files::internal
