#include "model/point_list.h"

#include <algorithm>
#include <map>
#include <set>
#include <tuple>

#include <fmt/format.h>

#include "model/identifier.h"
#include "model/value_trace.h"

namespace greymet::model {
namespace {

class Lister {
 public:
  explicit Lister(const ResolvedPlan& plan)
      : plan_(plan), coverage_(plan), uses_(memory_uses(plan)) {}

  PointList list() {
    index_moved();
    for (std::size_t s = 0; s < plan_.plan.slaves.size() && !out_.too_many; ++s) list_slave(s);
    for (const ResolvedTag& tag : plan_.tags) list_peer_tag(tag);
    if (out_.too_many) {
      out_.rows.clear();
      return std::move(out_);
    }
    std::stable_sort(out_.rows.begin(), out_.rows.end(), [](const PointRow& a, const PointRow& b) {
      const auto key = [](const PointRow& r) {
        return std::tuple(r.controller, r.memory.store, r.memory.first, !r.is_read);
      };
      return key(a) < key(b);
    });
    name_users();
    list_spare();
    return std::move(out_);
  }

 private:
  static PointRow row_of(const ResolvedPlan& plan, std::size_t slave, const Point& point) {
    PointRow row;
    row.where = plan.plan.slaves[slave].name + "." + point.name;
    row.end = point_place(slave, point);
    row.area = point.address.area;
    row.offset = point.address.offset.value;
    row.type = tag_type_of(point.type);
    row.order = plan.order_of(slave, point);
    row.factor = point.factor;
    row.offset_value = point.offset;
    row.unit = point.unit;
    row.names = names_text(point.names);
    return row;
  }

  // All points of a slave that somebody reads, wherever they get to, and all that somebody writes.
  void list_slave(std::size_t slave) {
    for (const Point* each : moved_[slave]) {
      if (out_.too_many) return;
      const Point& point = *each;
      const PointRow row = row_of(plan_, slave, point);
      const auto places = trace_value(plan_, row.end, row.order);
      for (std::size_t i = 1; i < places.size(); ++i) {
        if (places[i].place.at_controller) add_arrival(row, places[i]);
      }
      add_sources(row, slave, point);
    }
  }

  // Points that a transaction touches; all others get nowhere.
  void index_moved() {
    moved_.resize(plan_.plan.slaves.size());
    for (const ResolvedTransaction& t : plan_.transactions) {
      if (!t.target || t.target->is_peer) continue;
      const RegisterMap* map = plan_.map_of(*t.target);
      for (const auto* block : {&t.read, &t.write}) {
        if (map == nullptr || !*block) continue;
        for (const Point* point : map->points_touching((*block)->area, (*block)->extent())) {
          moved_[t.target->index].insert(point);
        }
      }
    }
  }

  void add_arrival(PointRow row, const TracedPlace& at) {
    row.controller = ControllerIndex(at.place.owner);
    row.memory = at.place.bits;
    row.in_memory = at.order;
    take_step(at.by, true, row);
    add(std::move(row));
  }

  void take_step(const ValueMove& by, bool is_read, PointRow& row) const {
    row.is_read = is_read;
    if (by.kind == MoveKind::copy) {
      row.copy = by.index;
      return;
    }
    row.transaction = by.index;
    const ResolvedTransaction& t = plan_.transactions[by.index];
    row.swap = by.kind == MoveKind::read ? t.read_swap : t.write_swap;
  }

  // Memory from which writes send the whole value to the point.
  void add_sources(const PointRow& point_row, std::size_t slave, const Point& point) {
    index_writes();
    const Extent extent = extent_of(point);
    for (const std::size_t i : writes_[slave]) {
      const ResolvedTransaction& t = plan_.transactions[i];
      if (t.write->area != point.address.area || t.write->offset > extent.first ||
          t.write->extent().end < extent.end || t.function == FunctionCode::mask_write_register) {
        continue;
      }
      const std::uint64_t unit = is_bit_area(t.write->area) ? 1 : bits_per_word;
      PointRow row = point_row;
      row.controller = *t.controller;
      row.memory = t.from->bits;
      row.memory.first += point_row.end.bits.first - t.write->offset * unit;
      row.memory.end = row.memory.first + (point_row.end.bits.end - point_row.end.bits.first);
      if (row.memory.end > t.from->bits.end) continue;
      take_step({MoveKind::write, i, *t.controller, slave, false, {}}, false, row);
      row.in_memory = row.swap ? std::nullopt : row.order;  // what is swapped comes as it may
      add(std::move(row));
    }
  }

  void index_writes() {
    if (!writes_.empty()) return;
    writes_.resize(plan_.plan.slaves.size());
    for (std::size_t i = 0; i < plan_.transactions.size(); ++i) {
      const ResolvedTransaction& t = plan_.transactions[i];
      if (t.controller && t.target && !t.target->is_peer && t.write && t.from &&
          t.write->offset < addresses_per_area) {
        writes_[t.target->index].push_back(i);
      }
    }
  }

  // A tag of another controller as the other end.
  [[nodiscard]] PointRow row_of_tag(const ResolvedTag& tag) const {
    const Tag& declared = plan_.declared(tag);
    PointRow row;
    row.where = plan_.full_name(tag);
    row.end = memory_place(tag.controller, tag.memory->bits);
    row.type = declared.type;
    row.order = plan_.order_of(tag);
    row.factor = declared.factor;
    row.offset_value = declared.offset;
    row.unit = declared.unit;
    return row;
  }

  // Between programs: a tag that comes from a tag of another controller, and that tag.
  void list_peer_tag(const ResolvedTag& tag) {
    if (!tag.memory || !tag.from || !tag.from->is_tag) return;
    const ResolvedTag& other = plan_.tags[tag.from->owner];
    const PointRow row = row_of_tag(other);
    const auto places = trace_value(plan_, tag.from->place, row.order);
    for (std::size_t i = 1; i < places.size(); ++i) {
      if (places[i].place != memory_place(tag.controller, tag.memory->bits)) continue;
      add_arrival(row, places[i]);
      std::size_t first = i;
      while (*places[first].before != 0) first = *places[first].before;
      PointRow sent = row_of_tag(tag);
      sent.controller = other.controller;
      sent.memory = other.memory->bits;
      take_step(places[first].by, false, sent);
      sent.in_memory = row.order;
      add(std::move(sent));
      return;
    }
  }

  void add(PointRow row) {
    const auto tags = coverage_.tags_in(row.controller, row.memory);
    const auto exact = std::find_if(tags.begin(), tags.end(), [&](std::size_t t) {
      return plan_.tags[t].memory->bits == row.memory;
    });
    if (exact != tags.end()) row.tag = *exact;
    if (exact == tags.end() && !tags.empty()) row.tag = tags.front();
    out_.too_many = out_.too_many || out_.rows.size() >= most_listed_values;
    if (!out_.too_many) out_.rows.push_back(std::move(row));
  }

  // Users of the memory of every row, but for the step that the row itself names.
  void name_users() {
    std::map<std::pair<std::size_t, std::size_t>, std::vector<const MemoryUse*>> stores;
    for (std::size_t c = 0; c < uses_.size(); ++c) {
      for (const MemoryUse& use : uses_[c]) stores[{c, use.bits.store}].push_back(&use);
    }
    for (auto& [key, uses] : stores) {
      std::stable_sort(uses.begin(), uses.end(), [](const MemoryUse* a, const MemoryUse* b) {
        return a->bits.first < b->bits.first;
      });
    }
    std::pair<std::size_t, std::size_t> at{};
    std::vector<const MemoryUse*> open;
    std::size_t next = 0;
    const std::vector<const MemoryUse*>* uses = nullptr;
    for (PointRow& row : out_.rows) {
      const std::pair<std::size_t, std::size_t> key{row.controller, row.memory.store};
      if (uses == nullptr || at != key) {
        at = key;
        uses = &stores[key];
        open.clear();
        next = 0;
      }
      while (next < uses->size() && (*uses)[next]->bits.first < row.memory.end) {
        open.push_back((*uses)[next++]);
      }
      std::erase_if(open, [&](const MemoryUse* use) { return use->bits.end <= row.memory.first; });
      for (const MemoryUse* use : open) {
        if (use->bits.first >= row.memory.end || is_own(row, *use)) continue;
        std::string name = to_text(owner_subject(plan_, *use));
        name.erase(0, use->purpose == MemoryPurpose::copy_source ||
                              use->purpose == MemoryPurpose::copy_target
                          ? 0
                          : name.find(' ') + 1);
        if (std::find(row.used_by.begin(), row.used_by.end(), name) != row.used_by.end()) continue;
        constexpr std::size_t most_users = 20;
        if (row.used_by.size() < most_users) {
          row.used_by.push_back(std::move(name));
          continue;
        }
        row.used_by.push_back("others");
        break;
      }
    }
  }

  static bool is_own(const PointRow& row, const MemoryUse& use) {
    const bool of_copy =
        use.purpose == MemoryPurpose::copy_source || use.purpose == MemoryPurpose::copy_target;
    if (of_copy) return row.copy == use.owner && use.purpose == MemoryPurpose::copy_target;
    return use.purpose != MemoryPurpose::heartbeat && use.purpose != MemoryPurpose::fingerprint &&
           row.transaction == use.owner;
  }

  void list_spare() {
    for (std::size_t c = 0; c < uses_.size(); ++c) {
      if (!plan_.plan.controllers[c].tags) continue;
      for (const MemoryUse& use : uses_[c]) {
        if (!moves_values(use.purpose)) continue;
        for (const BitRange& bits : coverage_.unnamed(c, use).spare) {
          out_.spare.push_back({ControllerIndex(c), use.owner, bits});
        }
      }
    }
  }

  const ResolvedPlan& plan_;
  const TagCoverage coverage_;
  const Indexed<std::vector<MemoryUse>, ControllerIndex> uses_;
  std::vector<std::vector<std::size_t>> writes_;  // per slave
  std::vector<std::set<const Point*>> moved_;     // per slave, in the order of its map
  PointList out_;
};

class Drafter {
 public:
  Drafter(const ResolvedPlan& plan, const PointList& list, ControllerIndex controller)
      : plan_(plan), list_(list), controller_(controller), layout_(plan.layouts[controller]) {}

  std::vector<DraftedTag> draft() {
    std::set<std::pair<std::size_t, std::uint64_t>> taken;
    for (const PointRow& row : list_.rows) {
      if (row.controller != controller_) continue;
      // the first value at a place names it
      if (!taken.insert({row.memory.store, row.memory.first}).second) continue;
      add_row(row);
    }
    add_bits();
    return std::move(tags_);
  }

 private:
  void add_row(const PointRow& row) {
    DraftedTag tag;
    tag.name = names_.take(identifier(row.where));
    tag.address = first_name(row.memory);
    tag.type = row.type;
    const auto& own = plan_.plan.controllers[controller_].word_order;
    if (row.in_memory && is_multi_register(row.type.type) &&
        (!own || own->value != *row.in_memory)) {
      tag.word_order = row.in_memory;
    }
    if (row.factor && *row.factor != 1) tag.factor = row.factor;
    if (row.offset_value && *row.offset_value != 0) tag.offset = row.offset_value;
    tag.unit = row.unit;
    (row.is_read ? tag.from : tag.to) = row.where;
    tags_.push_back(std::move(tag));
  }

  // "%MW100", "%MW114.3": where the value begins
  [[nodiscard]] std::string first_name(BitRange bits) const {
    if ((bits.end - bits.first) % bits_per_word == 0) bits.end = bits.first + bits_per_word;
    return layout_.name_of(bits);
  }

  void add_bits() {
    std::set<std::pair<std::size_t, std::uint64_t>> taken;
    const auto uses = memory_uses(plan_);
    for (const MemoryUse& use : uses[controller_]) {
      const bool status = use.purpose == MemoryPurpose::status;
      if (!status && use.purpose != MemoryPurpose::trigger && use.purpose != MemoryPurpose::gate &&
          use.purpose != MemoryPurpose::heartbeat) {
        continue;
      }
      const std::string owner = owner_subject(plan_, use).name;
      const std::string_view what =
          use.status_kind ? to_string(*use.status_kind) : to_string(use.purpose);
      add_bit(use.bits,
              use.purpose == MemoryPurpose::heartbeat
                  ? identifier(owner)
                  : identifier(fmt::format("{}_{}", owner, what)),
              taken);
    }
    for (const ResolvedHeartbeat& h : plan_.heartbeats) {
      if (!h.to || *h.to != controller_ || !h.seen) continue;
      add_bit(h.seen->bits, identifier(plan_.plan.heartbeats[h.declared].name + "_seen"), taken);
    }
  }

  void add_bit(const BitRange& bits, const std::string& name,
               std::set<std::pair<std::size_t, std::uint64_t>>& taken) {
    if (!taken.insert({bits.store, bits.first}).second) return;
    DraftedTag tag;
    tag.name = names_.take(name);
    tag.address = first_name(bits);
    tag.type = bits.end - bits.first == 1 ? TagType{{TypeKind::boolean, 0}, false}
                                          : TagType{{TypeKind::bits, 0}, true};
    tag.from = program_alone;
    tags_.push_back(std::move(tag));
  }

  const ResolvedPlan& plan_;
  const PointList& list_;
  ControllerIndex controller_;
  const MemoryLayout& layout_;
  std::vector<DraftedTag> tags_;
  UniqueNames names_;
};

}  // namespace

PointList point_list(const ResolvedPlan& plan) {
  return Lister(plan).list();
}

std::string moved_by(const ResolvedPlan& plan, const PointRow& row) {
  if (row.transaction) return plan.transaction_name(*row.transaction);
  return row.copy ? plan.copy_name(*row.copy) : std::string();
}

std::vector<DraftedTag> draft_tags(const ResolvedPlan& plan, const PointList& list,
                                   ControllerIndex controller) {
  return Drafter(plan, list, controller).draft();
}

}  // namespace greymet::model
