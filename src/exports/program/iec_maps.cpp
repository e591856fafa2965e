#include "iec_maps.h"

#include <algorithm>
#include <array>

#include <fmt/format.h>

namespace greymet::exports {

using model::Area;
using model::bits_per_word;
using model::Point;
using model::PointRow;

namespace {

constexpr std::array areas_in_order{Area::coil, Area::discrete_input, Area::input_register,
                                    Area::holding_register};
constexpr std::array<std::pair<IecBlockKind, const char*>, 3> kinds{
    {{IecBlockKind::read, "READ"}, {IecBlockKind::clear, "CLEAR"}, {IecBlockKind::write, "WRITE"}}};

bool share_bits(const Point& a, const Point& b) {
  return a.address.area == b.address.area &&
         overlap(point_place(0, a).bits, point_place(0, b).bits);
}

bool has_order(const Point& point) {
  return is_multi_register(point.type) || point.type.kind == model::TypeKind::text;
}

std::string words_about(const Point& point) {
  std::string text = point.unit;
  const Scale scale{point.factor, point.offset};
  if (scale.is_some()) {
    text += fmt::format("{}= raw x {}", text.empty() ? "" : " ", scale.factor);
    if (scale.offset != 0) text += fmt::format(" + {}", scale.offset);
  }
  if (point.min || point.max) {
    text += fmt::format("{}{} to {}", text.empty() ? "" : ", ",
                        point.min ? fmt::format("{}", *point.min) : "any",
                        point.max ? fmt::format("{}", *point.max) : "any");
  }
  if (!point.names.empty()) {
    text += fmt::format("{}{}", text.empty() ? "" : ", ", names_text(point.names));
  }
  return text;
}

}  // namespace

std::optional<DirectValue> direct_value(const model::ResolvedPlan& plan, const PointRow& row) {
  if (!row.transaction || !row.area || row.end.at_controller) return std::nullopt;
  const model::ExchangeTransaction* t = plan.exchange.find(*row.transaction);
  if (t == nullptr || t->controller != row.controller || t->target.is_peer ||
      t->target.index != row.end.owner) {
    return std::nullopt;
  }
  const model::RegisterMap* map = plan.map_of(t->target);
  const auto& block = row.is_read ? t->read : t->write;
  const auto& memory = row.is_read ? t->into : t->from;
  if (map == nullptr || !block || !memory || block->area != *row.area) return std::nullopt;
  const Point* point = map->find(row.where.substr(plan.plan.slaves[row.end.owner].name.size() + 1));
  if (point == nullptr) return std::nullopt;
  const std::uint64_t width = is_bit_area(*row.area) ? 1 : bits_per_word;
  const std::uint64_t begin = block->offset * width;
  if (row.end.bits.first < begin) return std::nullopt;
  const std::uint64_t first = memory->bits.first + (row.end.bits.first - begin);
  const bool as_at_slave =
      row.memory.store == memory->bits.store && row.memory.first == first &&
      row.memory.end - row.memory.first == row.end.bits.end - row.end.bits.first;
  // bits are taken one by one, wherever they are packed
  const bool whole =
      is_bit_area(*row.area) || memory->bits.end - memory->bits.first == block->quantity * width;
  if (!as_at_slave || !whole) return std::nullopt;
  return DirectValue{row.end.owner, t, &*block, &*memory, point};
}

std::optional<model::WordOrder> order_of_memory(const model::MemoryLayout& layout,
                                                const PointRow& row) {
  const auto& own = layout.controller().word_order;
  if (!row.in_memory && !row.is_read && row.swap && own) return own->value;
  return row.in_memory;
}

ValueForm form_of(const Point& point) {
  ValueForm form;
  form.type = point.type;
  form.scale = {point.factor, point.offset};
  return form;
}

IecMap::IecMap(const model::RegisterMap& map, const std::string& name, model::UniqueNames& names)
    : map_(map), name_(name) {
  values_type_ = names.take(name_ + "_VALUES");
  settings_type_ = names.take(name_ + "_SETTINGS");
  for (const Area area : areas_in_order) {
    for (const auto& [kind, word] : kinds) {
      const std::string in = in_capitals(std::string(short_name(area)));
      blocks_[{area, kind}] = names.take(fmt::format("{}_{}_{}", name_, in, word));
    }
  }
  model::UniqueNames members;
  for (const Point& point : map.points()) members_[&point] = members.take(iec_name(point.name));
}

void IecMap::add_read(const Point* point, bool cleared) {
  read_.insert(point);
  if (cleared) cleared_.insert(point->address.area);
}

bool IecMap::add_written(const Point* point) {
  if (written_.contains(point)) return true;
  const bool shares = std::any_of(written_.begin(), written_.end(),
                                  [&](const Point* other) { return share_bits(*point, *other); });
  if (!shares) written_.insert(point);
  return !shares;
}

std::vector<const Point*> IecMap::points_of(Area area, bool is_read) const {
  std::vector<const Point*> out;
  for (const Point* point : is_read ? read_ : written_) {
    if (point->address.area == area) out.push_back(point);
  }
  std::sort(out.begin(), out.end(), [](const Point* a, const Point* b) {
    return std::pair(point_place(0, *a).bits.first, a) <
           std::pair(point_place(0, *b).bits.first, b);
  });
  return out;
}

IecStruct IecMap::structure(bool is_read) const {
  IecStruct out{is_read ? values_type_ : settings_type_,
                fmt::format("{} {}", is_read ? "read of" : "written to", map_.file()),
                {}};
  for (const Point& point : map_.points()) {
    if (!(is_read ? read_ : written_).contains(&point)) continue;
    out.members.push_back(
        iec_variable(members_.at(&point), type_of(form_of(point)), words_about(point)));
  }
  return out;
}

// One window of registers at a time: whatever of them some transaction carries.
IecPou IecMap::moving_block(Area area, bool is_read) const {
  const bool bits = is_bit_area(area);
  const std::vector<const Point*> points = points_of(area, is_read);
  std::vector<IecVariable> in{iec_variable("first", "DINT", "the first of them, from 0"),
                              iec_variable("count", "DINT")};
  if (!bits) {
    in.push_back(iec_variable("order", "INT",
                              "of words, where the map states none; 0 unknown, 1 ABCD, 2 CDAB, 3 "
                              "BADC, 4 DCBA"));
    in.push_back(iec_variable("brought", "BOOL", "all values have been brought into that order"));
  }
  const IecVariable buffer = bits ? iec_array("bits", "BOOL", most_bits_of_block)
                                  : iec_array("words", "WORD", most_registers_of_block);
  std::vector<IecVariable> own{iec_variable("i", "DINT")};
  std::string body = is_read ? "  no_number := FALSE;\n" : "";
  std::set<model::WordOrder> stated;
  ValueText needs;
  std::string windows;
  for (const Point* point : points) {
    ValueForm form = form_of(*point);
    const model::Extent extent = extent_of(*point);
    const std::uint64_t size = extent.end - extent.first;
    std::string known;
    if (has_order(*point)) {
      form.order = "order";
      if (point->word_order) {
        stated.insert(*point->word_order);
        form.order = "order_" + order_number(*point->word_order);
      }
      if (is_multi_register(point->type)) known = fmt::format("({} > 0) AND ", form.order);
    }
    RawPlace place;
    for (std::uint64_t k = 0; k < size; ++k) {
      place.words.push_back(k == 0 ? fmt::format("{}[i]", buffer.name)
                                   : fmt::format("{}[i + {}]", buffer.name, k));
    }
    if (!bits && point->type.kind == model::TypeKind::boolean) place.bit = point->bit.value_or(0);
    const std::string name = (is_read ? "values." : "settings.") + members_.at(point);
    const ValueText text =
        is_read ? decoding(name, form, place, "no_number") : encoding(name, form, place);
    needs.uses_bits32 |= text.uses_bits32;
    needs.uses_bits64 |= text.uses_bits64;
    windows += fmt::format(
        "  {}\n  IF {}GM_WITHIN({}, {}, first, count) THEN\n    i := {} - first;\n",
        iec_comment(fmt::format("{} {}", range_text(area, extent), to_text(point->type))), known,
        extent.first, size, extent.first);
    windows += text.statements;
    windows += "  END_IF;\n";
  }
  for (const model::WordOrder order : stated) {
    const std::string number = order_number(order);
    own.push_back(iec_variable("order_" + number, "INT"));
    body += fmt::format(
        "  order_{0} := {0};\n  IF brought THEN\n    order_{0} := order;\n  END_IF;\n", number);
  }
  if (needs.uses_bits32) own.push_back(iec_variable("bits32", "DWORD"));
  if (needs.uses_bits64) own.push_back(iec_variable("bits64", "LWORD"));
  std::vector<IecVariable> out;
  if (is_read) out.push_back(iec_variable("no_number", "BOOL"));
  return {PouKind::function_block,
          block_name(area, is_read ? IecBlockKind::read : IecBlockKind::write),
          {},
          fmt::format("{0} of {1} {2} {3} of it", is_read ? "values" : "settings", map_.file(),
                      is_read ? "out of" : "into", bits ? "bits" : "registers"),
          {{IecSection::input, std::move(in)},
           {IecSection::output, std::move(out)},
           {IecSection::in_out,
            {buffer, iec_variable(is_read ? "values" : "settings",
                                  is_read ? values_type_ : settings_type_)}},
           {IecSection::local, std::move(own)}},
          body + windows};
}

IecPou IecMap::clearing_block(Area area) const {
  std::string body;
  for (const Point* point : points_of(area, true)) {
    const model::Extent extent = extent_of(*point);
    body +=
        fmt::format("  IF GM_WITHIN({}, {}, first, count) THEN\n    values.{} := {};\n  END_IF;\n",
                    extent.first, extent.end - extent.first, members_.at(point),
                    zero_of(type_of(form_of(*point))));
  }
  return {PouKind::function_block,
          block_name(area, IecBlockKind::clear),
          {},
          fmt::format("makes values of {} zero", map_.file()),
          {{IecSection::input, {iec_variable("first", "DINT"), iec_variable("count", "DINT")}},
           {IecSection::in_out, {iec_variable("values", values_type_)}}},
          body};
}

void IecMap::add_to(IecPart& part) const {
  for (const bool is_read : {true, false}) {
    if ((is_read ? read_ : written_).empty()) continue;
    part.types.push_back(structure(is_read));
    for (const Area area : areas_in_order) {
      if (points_of(area, is_read).empty()) continue;
      part.pous.push_back(moving_block(area, is_read));
      if (is_read && cleared_.contains(area)) part.pous.push_back(clearing_block(area));
    }
  }
}

IecMaps::IecMaps(const ExportInput& input) : plan_(input.plan) {
  // all maps have their names, moved or not, so that names stay when rows come and go
  model::UniqueNames bases;
  std::vector<std::string> files;
  files.reserve(plan_.plan.maps.size());
  for (const model::RegisterMap& map : plan_.plan.maps) {
    const std::string& file = map.file();
    const std::size_t slash = file.find_last_of("/\\");
    const std::string name = slash == std::string::npos ? file : file.substr(slash + 1);
    files.push_back(bases.take(in_capitals(iec_name(name.substr(0, name.rfind('.'))))));
  }
  for (std::size_t m = 0; m < files.size(); ++m) {
    maps_.try_emplace(m, plan_.plan.maps[m], files[m], names_);
  }
  for (const PointRow& row : input.points.rows) {
    const auto direct = direct_value(plan_, row);
    if (!direct) continue;
    IecMap& map = maps_.at(*plan_.plan.slaves[direct->slave].map);
    if (row.is_read) {
      const auto& loss = direct->transaction->on_loss;
      map.add_read(direct->point, loss && *loss == model::OnLoss::zero);
    } else {
      (void)map.add_written(direct->point);
    }
  }
}

const IecMap* IecMaps::of(std::size_t slave) const {
  const auto& map = plan_.plan.slaves[slave].map;
  const auto found = map ? maps_.find(*map) : maps_.end();
  return found == maps_.end() ? nullptr : &found->second;
}

}  // namespace greymet::exports
