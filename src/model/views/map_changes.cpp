#include "model/map_changes.h"

#include <algorithm>
#include <map>
#include <set>
#include <tuple>

#include <fmt/format.h>

namespace greymet::model {
namespace {

// The registers, the bit and the type: what a value is, whatever it is called.
using Identity = std::tuple<Area, std::uint16_t, std::string, std::int64_t>;

Identity identity_of(const Point& point) {
  return {point.address.area, point.address.offset.value, to_text(point.type),
          point.bit ? static_cast<std::int64_t>(*point.bit) : -1};
}

std::string address_text(const Point& point) {
  const std::string text =
      fmt::format("{}:{}", short_name(point.address.area), point.address.offset.value);
  return point.bit ? fmt::format("{}.{}", text, *point.bit) : text;
}

std::string number_text(double number) {
  return fmt::format("{}", number);
}

std::string maybe_text(const std::optional<double>& number) {
  return number ? number_text(*number) : "none";
}

std::string_view access_text(Access access) {
  switch (access) {
    case Access::read: return "r";
    case Access::write: return "w";
    case Access::read_write: return "rw";
  }
  return {};
}

std::string text_or_none(const std::string& text) {
  return text.empty() ? "none" : text;
}

class Comparison {
 public:
  Comparison(const RegisterMap& old, const RegisterMap& now) : old_(old), now_(now) {}

  std::vector<MapChange> run() {
    const auto renamed = renamings();
    for (const Point& point : now_.points()) {
      if (const Point* same = old_.find(point.name)) {
        compare(*same, point);
        continue;
      }
      const auto was = renamed.find(point.name);
      if (was == renamed.end()) {
        add(MapChangeKind::added, point.name, "", "", summary(point));
        continue;
      }
      add(MapChangeKind::renamed, was->second->name, "name", was->second->name, point.name);
      compare(*was->second, point);
    }
    std::set<std::string> taken;
    for (const auto& [name, point] : renamed) taken.insert(point->name);
    for (const Point& point : old_.points()) {
      if (now_.find(point.name) != nullptr || taken.count(point.name) > 0) continue;
      add(MapChangeKind::gone, point.name, "", summary(point), "");
    }
    return std::move(changes_);
  }

 private:
  // Points of the new map by what they were called.
  [[nodiscard]] std::map<std::string, const Point*> renamings() const {
    std::map<Identity, std::vector<const Point*>> gone;
    std::map<Identity, std::vector<const Point*>> come;
    for (const Point& p : old_.points()) {
      if (now_.find(p.name) == nullptr) gone[identity_of(p)].push_back(&p);
    }
    for (const Point& p : now_.points()) {
      if (old_.find(p.name) == nullptr) come[identity_of(p)].push_back(&p);
    }
    std::map<std::string, const Point*> out;
    for (const auto& [identity, points] : come) {
      const auto was = gone.find(identity);
      if (points.size() != 1 || was == gone.end() || was->second.size() != 1) continue;
      out[points.front()->name] = was->second.front();
    }
    return out;
  }

  static std::string summary(const Point& point) {
    return fmt::format("{} {}", address_text(point), to_text(point.type));
  }

  void add(MapChangeKind kind, const std::string& point, std::string what, std::string old,
           std::string now) {
    changes_.push_back({kind, point, std::move(what), std::move(old), std::move(now)});
  }

  void compare(const Point& a, const Point& b) {
    if (address_text(a) != address_text(b)) {
      add(MapChangeKind::moved, a.name, "address", address_text(a), address_text(b));
    }
    const auto differ = [&](std::string_view what, const std::string& old, const std::string& now) {
      if (old != now) {
        add(MapChangeKind::changed, a.name, std::string(what), text_or_none(old),
            text_or_none(now));
      }
    };
    const auto order = [](const Point& p) {
      return p.word_order ? std::string(to_string(*p.word_order)) : std::string();
    };
    differ("type", to_text(a.type), to_text(b.type));
    differ("word_order", order(a), order(b));
    differ("factor", number_text(a.factor), number_text(b.factor));
    differ("offset", number_text(a.offset), number_text(b.offset));
    differ("unit", a.unit, b.unit);
    differ("min", maybe_text(a.min), maybe_text(b.min));
    differ("max", maybe_text(a.max), maybe_text(b.max));
    differ("access", std::string(access_text(a.access)), std::string(access_text(b.access)));
    differ("names", names_text(a.names), names_text(b.names));
    differ("write_fc", fmt::format("{}", fmt::join(a.write_functions, " ")),
           fmt::format("{}", fmt::join(b.write_functions, " ")));
  }

  const RegisterMap& old_;
  const RegisterMap& now_;
  std::vector<MapChange> changes_;
};

}  // namespace

std::string_view to_string(MapChangeKind kind) {
  switch (kind) {
    case MapChangeKind::added: return "added";
    case MapChangeKind::gone: return "gone";
    case MapChangeKind::renamed: return "renamed";
    case MapChangeKind::moved: return "moved";
    case MapChangeKind::changed: return "changed";
  }
  return {};
}

std::vector<MapChange> map_changes(const RegisterMap& old, const RegisterMap& now) {
  return Comparison(old, now).run();
}

std::vector<std::string> users_of(const ResolvedPlan& plan, SlaveIndex slave, const Point& point) {
  std::vector<std::string> users;
  const Extent registers = extent_of(point);
  const auto meets = [&](const std::optional<DeviceBlock>& block) {
    return block && block->area == point.address.area && block->extent().first < registers.end &&
           registers.first < block->extent().end;
  };
  for (const ResolvedTransaction& t : plan.transactions) {
    if (!t.target || t.target->is_peer || t.target->index != slave.value) continue;
    if (meets(t.read) || meets(t.write)) {
      users.push_back("transaction " + plan.declared(t).name);
    }
  }
  const auto* map = plan.map_of({false, slave.value, 0});
  const auto is_it = [&](std::size_t p) { return map->points()[p].name == point.name; };
  for (std::size_t w = 0; w < plan.wants.size(); ++w) {
    const ResolvedWant& want = plan.wants[w];
    if (want.slave && *want.slave == slave &&
        std::any_of(want.points.begin(), want.points.end(), is_it)) {
      users.push_back(fmt::format("want {}", plan.plan.wants[want.declared].number));
    }
  }
  for (const ResolvedTag& tag : plan.tags) {
    for (const auto* end : {&tag.from, &tag.to}) {
      if (*end && !(*end)->is_tag && (*end)->owner == slave.value && is_it((*end)->point)) {
        users.push_back("tag " + plan.full_name(tag));
      }
    }
  }
  const std::string name = fmt::format("{}.{}", plan.plan.slaves[slave].name, point.name);
  for (const Path& path : plan.plan.paths) {
    if ((path.from && path.from->value == name) || (path.to && path.to->value == name)) {
      users.push_back("path " + path.name);
    }
  }
  return users;
}

}  // namespace greymet::model
