// Family R, second half: what slaves make of their maps (R06, R07, R09).
#include <algorithm>
#include <array>
#include <map>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "model/nearest_name.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

namespace {

const RegisterMap* map_of(const ResolvedPlan& plan, std::size_t slave) {
  return plan.map_of({false, slave, 0});
}

// Addresses of the same file, counted in two ways, that are not the same.
bool count_differently(const RegisterMap& a, const RegisterMap& b) {
  return !std::equal(a.points().begin(), a.points().end(), b.points().begin(), b.points().end(),
                     [](const model::Point& x, const model::Point& y) {
                       return x.address.offset == y.address.offset;
                     });
}

// Slaves that share a file, and how most of them read it.
class SharedMapRules {
 public:
  SharedMapRules(const ResolvedPlan& plan, Findings& out) : plan_(plan), out_(out) {}

  void check() {
    std::map<std::uint32_t, std::vector<std::size_t>> users;  // per file
    for (std::size_t s = 0; s < plan_.plan.slaves.size(); ++s) {
      const RegisterMap* map = map_of(plan_, s);
      if (map != nullptr && !map->points().empty()) {
        users[map->points().front().place.file].push_back(s);
      }
    }
    for (const auto& [file, slaves] : users) {
      if (slaves.size() < 2) continue;
      check_numbering(slaves);
      check_word_order(slaves);
    }
  }

 private:
  // The value most slaves have; of equals the one that comes first.
  template <class T, class Of>
  static T most_common(const std::vector<std::size_t>& slaves, const Of& of) {
    std::map<T, std::size_t> counts;
    for (const std::size_t s : slaves) ++counts[of(s)];
    T best = of(slaves.front());
    for (const std::size_t s : slaves) {
      if (counts[of(s)] > counts[best]) best = of(s);
    }
    return best;
  }

  // "fan1 and 3 more"
  template <class Is>
  [[nodiscard]] std::string names(const std::vector<std::size_t>& slaves, const Is& is) const {
    std::string first;
    std::size_t count = 0;
    for (const std::size_t s : slaves) {
      if (is(s) && ++count == 1) first = plan_.plan.slaves[s].name;
    }
    return count > 1 ? fmt::format("{} and {} more", first, count - 1) : first;
  }

  // R06
  void check_numbering(const std::vector<std::size_t>& slaves) {
    const auto numbering = [&](std::size_t s) { return plan_.exchange.slaves[s].numbering; };
    const auto usual = most_common<model::Numbering>(slaves, numbering);
    const auto is_usual = [&](std::size_t s) { return numbering(s) == usual; };
    const std::size_t typical = *std::find_if(slaves.begin(), slaves.end(), is_usual);
    for (const std::size_t s : slaves) {
      const model::Slave& slave = plan_.plan.slaves[s];
      if (is_usual(s) || slave.refused.contains("numbering") ||
          !count_differently(*map_of(plan_, s), *map_of(plan_, typical))) {
        continue;
      }
      report(out_, RuleCode::R06, Severity::warning, place_or(slave.numbering, slave.place),
             subject_of(slave),
             fmt::format("counts {} in {}, which {} read{} {}", to_string(numbering(s)),
                         map_of(plan_, s)->file(), names(slaves, is_usual),
                         std::count_if(slaves.begin(), slaves.end(), is_usual) > 1 ? "" : "s",
                         to_string(usual)),
             {}, {{plan_.plan.slaves[typical].place, "this one counts the other way"}});
      add_fix(out_.back(), {fmt::format("write numbering = \"{}\"", to_string(usual)),
                            {{slave.place,
                              {},
                              model::EditKind::set_keys,
                              {{"numbering", fmt::format("\"{}\"", to_string(usual))}}}},
                            false,
                            !is_clear(slaves, is_usual)});
    }
  }

  void check_word_order(const std::vector<std::size_t>& slaves) {
    const RegisterMap& map = *map_of(plan_, slaves.front());
    const bool matters = std::any_of(
        map.points().begin(), map.points().end(),
        [](const model::Point& p) { return is_multi_register(p.type) && !p.word_order; });
    if (!matters || map.misreads("word_order")) return;
    std::vector<std::size_t> stated;
    std::copy_if(slaves.begin(), slaves.end(), std::back_inserter(stated),
                 [&](std::size_t s) { return plan_.plan.slaves[s].word_order.has_value(); });
    if (stated.size() < 2) return;
    const auto order = [&](std::size_t s) { return plan_.plan.slaves[s].word_order->value; };
    const auto usual = most_common<model::WordOrder>(stated, order);
    const auto is_usual = [&](std::size_t s) { return order(s) == usual; };
    for (const std::size_t s : stated) {
      if (is_usual(s)) continue;
      const model::Slave& slave = plan_.plan.slaves[s];
      report(
          out_, RuleCode::R06, Severity::note, slave.word_order->place, subject_of(slave),
          fmt::format("takes words as {}, while {} with the same map {} them as {}",
                      to_string(order(s)), names(stated, is_usual),
                      std::count_if(stated.begin(), stated.end(), is_usual) > 1 ? "take" : "takes",
                      to_string(usual)),
          {});
      add_fix(out_.back(), model::write_instead(slave.word_order->place,
                                                fmt::format("\"{}\"", to_string(usual)), false));
      out_.back().fixes.back().is_question = !is_clear(stated, is_usual);
    }
  }
  // Two against one; of one against one nobody knows who is right.
  template <class Is>
  static bool is_clear(const std::vector<std::size_t>& slaves, const Is& is) {
    const auto alike = std::count_if(slaves.begin(), slaves.end(), is);
    return alike >= 2 * (static_cast<std::ptrdiff_t>(slaves.size()) - alike);
  }

  const ResolvedPlan& plan_;
  Findings& out_;
};

// The blocks of every slave that were written as addresses.
std::vector<std::vector<const DeviceBlock*>> blocks_of_slaves(
    const ResolvedPlan& plan, const std::vector<WrongHalves>& wrong) {
  std::vector<std::vector<const DeviceBlock*>> blocks(plan.plan.slaves.size());
  for (std::size_t i = 0; i < plan.transactions.size(); ++i) {
    const model::ResolvedTransaction& t = plan.transactions[i];
    if (!t.target || t.target->is_peer || wrong[i].any()) continue;
    for (const auto* block : {&t.read, &t.write}) {
      if (*block && (*block)->notation != model::Notation::point &&
          (*block)->extent().end <= model::addresses_per_area) {
        blocks[t.target->index].push_back(&**block);
      }
    }
  }
  return blocks;
}

// Every block starts and ends on points of the map and covers nothing else.
bool fits_all(const RegisterMap& map, const std::vector<const DeviceBlock*>& blocks) {
  return std::all_of(blocks.begin(), blocks.end(), [&](const DeviceBlock* b) {
    const Extent e = b->extent();
    return map.point_starts_at(b->area, e.first) && map.point_ends_at(b->area, e.end) &&
           map.holes_in(b->area, e).empty();
  });
}

// The same addresses are points of its own map, in other areas: the functions are wrong (F15).
bool fits_other_areas(const RegisterMap& map, const std::vector<const DeviceBlock*>& blocks) {
  return std::all_of(blocks.begin(), blocks.end(), [&](const DeviceBlock* b) {
    const Extent e = b->extent();
    constexpr std::array areas{model::Area::coil, model::Area::discrete_input,
                               model::Area::input_register, model::Area::holding_register};
    return std::any_of(areas.begin(), areas.end(), [&](model::Area area) {
      return area != b->area && map.point_starts_at(area, e.first) &&
             map.point_ends_at(area, e.end) && map.holes_in(area, e).empty();
    });
  });
}

// At most a tenth of what the blocks cover is listed.
bool misses(const RegisterMap& map, const std::vector<const DeviceBlock*>& blocks) {
  std::size_t covered = 0;
  std::size_t unlisted = 0;
  for (const DeviceBlock* b : blocks) {
    if (map.may_hide(b->area, b->extent())) return false;
    covered += b->quantity;
    for (const Extent& hole : map.holes_in(b->area, b->extent())) unlisted += hole.end - hole.first;
  }
  constexpr std::size_t least_evidence = 2;
  return covered >= least_evidence && (covered - unlisted) * 10 <= covered;
}

}  // namespace

std::vector<std::vector<std::size_t>> better_maps(const ResolvedPlan& plan,
                                                  const std::vector<WrongHalves>& wrong_ranges) {
  std::vector<std::vector<std::size_t>> better(plan.plan.slaves.size());
  const auto blocks = blocks_of_slaves(plan, wrong_ranges);
  for (std::size_t s = 0; s < better.size(); ++s) {
    const RegisterMap* own = map_of(plan, s);
    if (own == nullptr || own->points().empty() || blocks[s].empty()) continue;
    if (!misses(*own, blocks[s]) || fits_other_areas(*own, blocks[s])) continue;
    const std::size_t most = std::min(plan.plan.maps.size(), model::most_names_compared);
    for (std::size_t m = 0; m < most; ++m) {
      const RegisterMap& other = plan.plan.maps[m];
      const bool known = std::any_of(better[s].begin(), better[s].end(), [&](std::size_t b) {
        return plan.plan.maps[b].file() == other.file();
      });
      if (&other != own && !known && other.file() != own->file() && fits_all(other, blocks[s])) {
        better[s].push_back(m);
      }
    }
  }
  return better;
}

namespace {

std::ptrdiff_t count_of_blocks(const RuleInput& in, std::size_t slave) {
  return std::count_if(in.plan.transactions.begin(), in.plan.transactions.end(),
                       [&](const model::ResolvedTransaction& t) {
                         return t.target && !t.target->is_peer && t.target->index == slave;
                       });
}

// R09: nobody said how its manual counts, and no area of its map has an address 0
void check_first_address(const RuleInput& in, Findings& out) {
  for (std::size_t s = 0; s < in.plan.plan.slaves.size(); ++s) {
    const model::Slave& slave = in.plan.plan.slaves[s];
    const RegisterMap* map = map_of(in.plan, s);
    if (map == nullptr || map->points().size() < 2 || slave.numbering ||
        slave.refused.contains("numbering") || map->misreads("address")) {
      continue;
    }
    std::map<model::Area, std::uint32_t> least;
    for (const model::Point& p : map->points()) {
      const std::uint32_t first = extent_of(p).first;
      const auto [at, is_new] = least.try_emplace(p.address.area, first);
      at->second = std::min(at->second, first);
    }
    const bool from_1 =
        std::any_of(least.begin(), least.end(),
                    [](const auto& each) { return each.second == 1; }) &&
        std::none_of(least.begin(), least.end(), [](const auto& each) { return each.second == 0; });
    if (!from_1) continue;
    report(out, RuleCode::R09, Severity::note, slave.map_file->place, subject_of(slave),
           fmt::format("the lowest address in {} is 1, and it is assumed to count from 0",
                       slave.map_file->value),
           {});
    add_fix(out.back(),
            {"write numbering = \"from-1\" if its manual counts so, else \"from-0\"",
             {{slave.place, {}, model::EditKind::set_keys, {{"numbering", "\"from-1\""}}}},
             false,
             true});
  }
}

}  // namespace

void check_map_use(const RuleInput& in, Findings& out) {
  SharedMapRules(in.plan, out).check();
  check_first_address(in, out);
  // R07
  for (std::size_t s = 0; s < in.better_maps.size(); ++s) {
    if (in.better_maps[s].empty()) continue;
    const model::Slave& slave = in.plan.plan.slaves[s];
    const std::string& other = in.plan.plan.maps[in.better_maps[s].front()].file();
    report(out, RuleCode::R07, Severity::warning, slave.map_file->place, subject_of(slave),
           fmt::format("hardly anything that is asked of it is listed in {}, and all of it in {}",
                       slave.map_file->value, other),
           {});
    add_fix(out.back(), {fmt::format("write map = \"{}\", or correct the addresses", other),
                         {{slave.map_file->place, fmt::format("\"{}\"", other)}},
                         in.better_maps[s].size() == 1 && count_of_blocks(in, s) > 2});
    // of one or two blocks the slave's name may be what is wrong
    out.back().fixes.back().is_question = count_of_blocks(in, s) <= 2;
  }
}

}  // namespace greymet::checks
