// What names, notes and orders say of values beyond their addresses: orders of words where no tags
// tell (D07), commands that are given again and again (D08), memory that wears (D09), one word for
// two quantities (D10), and what must not be held when it is lost (H12).
#include <algorithm>
#include <array>
#include <cctype>
#include <map>
#include <set>
#include <tuple>

#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/rule_text.h"
#include "model/resolved_plan.h"
#include "model/text_slips.h"

namespace greymet::checks {

namespace {

// The words of a name: "fault_reset", "FaultReset" and "fault reset" have the same.
std::set<std::string> words_of(std::string_view text) {
  std::set<std::string> words;
  std::string word;
  const auto end_word = [&] {
    if (!word.empty()) words.insert(model::in_small_letters(word));
    word.clear();
  };
  bool was_small = false;
  for (const char c : text) {
    const auto letter = static_cast<unsigned char>(c);
    if (std::isalpha(letter) == 0) {
      end_word();
      was_small = false;
      continue;
    }
    const bool is_large = std::isupper(letter) != 0;
    if (is_large && was_small) end_word();
    word += c;
    was_small = !is_large;
  }
  end_word();
  return words;
}

template <std::size_t N>
bool any_of_words(const std::set<std::string>& words,
                  const std::array<std::string_view, N>& looked_for) {
  return std::any_of(looked_for.begin(), looked_for.end(),
                     [&](std::string_view w) { return words.contains(std::string(w)); });
}

constexpr std::array<std::string_view, 9> commands_given_once{
    "reset", "ack", "acknowledge", "quit", "clear", "zero", "tare", "restart", "reboot"};
constexpr std::array<std::string_view, 5> safety{"emergency", "estop", "flame", "interlock",
                                                 "tripped"};
constexpr std::array<std::string_view, 7> wearing{"eeprom", "flash",      "nonvolatile", "nvram",
                                                  "feprom", "persistent", "fram"};

// Full words, and "non-volatile", "write cycles".
bool wears(const Point& point) {
  const std::string note = model::in_small_letters(point.note);
  return point.wears || any_of_words(words_of(point.note), wearing) ||
         note.find("non-volatile") != std::string::npos ||
         note.find("non volatile") != std::string::npos ||
         note.find("write cycles") != std::string::npos;
}

class Meanings {
 public:
  Meanings(const model::ResolvedPlan& plan, Findings& out) : plan_(plan), out_(out) {}

  void check() {
    for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
      const RegisterMap* map = plan_.map_of(t.target);
      if (map == nullptr || t.target.is_peer) continue;
      if (t.read) check_order(t, *map, *t.read, true);
      if (t.write) {
        check_order(t, *map, *t.write, false);
        check_commands(t, *map);
        check_wear(t, *map);
        check_shared_word(t, *map);
      }
      if (t.read) check_safety(t, *map);
    }
    report_orders();
  }

 private:
  [[nodiscard]] const model::Transaction& declared(const model::ExchangeTransaction& t) const {
    return plan_.declared(plan_.transactions[t.transaction]);
  }
  [[nodiscard]] static std::vector<const Point*> points(const RegisterMap& map,
                                                        const DeviceBlock& block) {
    return map.points_touching(block.area, block.extent());
  }

  // D07: with tags it is V02 and V03 that know
  void check_order(const model::ExchangeTransaction& t, const RegisterMap& map,
                   const DeviceBlock& block, bool is_read) {
    const model::Controller& controller = plan_.plan.controllers[t.controller];
    if (controller.tags || !controller.word_order || (is_read ? t.read_swap : t.write_swap)) return;
    for (const Point* p : points(map, block)) {
      if (!is_multi_register(p->type) || p->type.kind == TypeKind::text) continue;
      const auto order = plan_.order_of(t.target.index, *p);
      if (!order || *order == controller.word_order->value) continue;
      auto& found = orders_[{t.target.index, t.controller}];
      if (found.points.insert(p->name).second && found.points.size() == 1) {
        found.first = p;
        found.order = *order;
        found.t = &t;
      }
    }
  }

  void report_orders() {
    for (const auto& [key, found] : orders_) {
      const model::Slave& slave = plan_.plan.slaves[key.first];
      const model::Controller& controller = plan_.plan.controllers[key.second];
      const std::string more = found.points.size() > 1
                                   ? fmt::format(" and {} more", found.points.size() - 1)
                                   : std::string();
      report(
          out_, RuleCode::D07, Severity::warning, place_or(slave.word_order, slave.place),
          subject_of(slave),
          fmt::format("keeps '{}' ({}){} as {}, controller {} takes long values as {}, and "
                      "nothing swaps them",
                      found.first->name, to_text(found.first->type), more, to_string(found.order),
                      controller.name, to_string(controller.word_order->value)),
          fmt::format("swap them in the program and say swap = \"{}\" at {} if the controller "
                      "does it; or name the tags that take them so",
                      to_string(controller.word_order->value), declared(*found.t).name),
          {{controller.word_order->place, "the controller's order is here"}});
      // whose controller is another one
      out_.back().concerns.push_back({subject_of(declared(*found.t))});
    }
  }

  // D08: of a block that is nothing else
  void check_commands(const model::ExchangeTransaction& t, const RegisterMap& map) {
    if (t.trigger.kind != TriggerKind::cyclic && t.trigger.kind != TriggerKind::continuous &&
        t.trigger.kind != TriggerKind::on_start) {
      return;
    }
    const auto all = points(map, *t.write);
    const bool commands = !all.empty() && std::all_of(all.begin(), all.end(), [](const Point* p) {
      return any_of_words(words_of(p->name), commands_given_once);
    });
    if (!commands) return;
    if (t.trigger.kind == TriggerKind::on_start) {
      report(out_, RuleCode::D08, Severity::warning, place_or(declared(t).on, declared(t).place),
             subject_of(declared(t)),
             fmt::format("gives the command '{}' when the controller starts, and never again",
                         all.front()->name),
             "give it when the program wants it: on = \"<bit>\" with a min_gap; or accept it if "
             "only the start shall give it",
             {{all.front()->place, "the point is listed here"}});
      return;
    }
    report(out_, RuleCode::D08, Severity::warning, place_or(declared(t).every, declared(t).place),
           subject_of(declared(t)),
           fmt::format("gives the command '{}' {}, as long as the program does not take it back",
                       all.front()->name,
                       t.trigger.kind == TriggerKind::cyclic
                           ? fmt::format("every {}", to_text(t.trigger.period))
                           : std::string("all the time")),
           "give it once: on = \"<bit>\" with a min_gap; or accept it if the slave only takes its "
           "edge",
           {{all.front()->place, "the point is listed here"}});
  }

  // D09
  void check_wear(const model::ExchangeTransaction& t, const RegisterMap& map) {
    if (t.trigger.kind != TriggerKind::cyclic || t.trigger.period <= Duration{}) return;
    for (const Point* p : points(map, *t.write)) {
      if (!wears(*p)) continue;
      constexpr double usual_cycles = 100'000;
      const double days =
          usual_cycles * std::chrono::duration<double>(t.trigger.period).count() / (24 * 3600);
      if (days > 20 * 365) return;
      report(out_, RuleCode::D09, Severity::warning, place_or(declared(t).every, declared(t).place),
             subject_of(declared(t)),
             fmt::format("writes '{}' every {}, which wears: 100,000 writes are "
                         "done in {:.0f} days",
                         p->name, to_text(t.trigger.period), std::ceil(days)),
             "write it when it changes: on = \"change\" with a min_gap",
             {{p->place, "the point is listed here"}});
      return;
    }
  }

  // D10: words of memory that two writes send, as different quantities
  void check_shared_word(const model::ExchangeTransaction& t, const RegisterMap& map) {
    if (!t.from || is_bit_area(t.write->area)) return;
    for (const Point* p : points(map, *t.write)) {
      const Extent value = extent_of(*p);
      const bool whole = value.first >= t.write->offset && value.end <= t.write->extent().end;
      if (!whole || p->type.kind == TypeKind::text || p->type.kind == TypeKind::bits ||
          p->type.kind == TypeKind::boolean) {
        continue;
      }
      const std::uint64_t first =
          t.from->bits.first + (value.first - t.write->offset) * bits_per_word;
      const auto [at, is_new] =
          sent_.try_emplace({t.controller, t.from->bits.store, first}, Sent{&t, p});
      if (is_new || at->second.point == p) continue;
      report_shared_word(t, *p, at->second, {t.from->bits.store, first, first + bits_per_word});
    }
  }

  struct Sent {
    const model::ExchangeTransaction* t = nullptr;
    const Point* point = nullptr;
  };
  void report_shared_word(const model::ExchangeTransaction& t, const Point& p, const Sent& other,
                          const BitRange& bits) {
    const std::string difference = quantity_difference(p, *other.point);
    if (difference.empty()) return;
    const auto name = [&](const model::ExchangeTransaction& each, const Point& point) {
      return fmt::format("{}.{}", plan_.plan.slaves[each.target.index].name, point.name);
    };
    report(out_, RuleCode::D10, Severity::warning, place_or(declared(t).from, declared(t).place),
           subject_of(declared(t)),
           fmt::format("sends {} to '{}', which {} sends to '{}': {}",
                       plan_.layouts[t.controller].name_of(bits), name(t, p),
                       declared(*other.t).name, name(*other.t, *other.point), difference),
           "give each its own word, converted for it",
           {{p.place, "this point is here"}, {other.point->place, "the other point is here"}});
  }

  // "factor 0.1 here, 0.01 there"; nothing where a raw value means the same to both.
  [[nodiscard]] static std::string quantity_difference(const Point& here, const Point& there) {
    if (!(here.type == there.type)) {
      return fmt::format("{} here, {} there", to_text(here.type), to_text(there.type));
    }
    if (here.factor != there.factor) {
      return fmt::format("factor {} here, {} there", here.factor, there.factor);
    }
    if (here.offset != there.offset) {
      return fmt::format("offset {} here, {} there", here.offset, there.offset);
    }
    if (!here.unit.empty() && !there.unit.empty() && here.unit != there.unit) {
      return fmt::format("{} here, {} there", here.unit, there.unit);
    }
    const bool ranges = here.min && here.max && there.min && there.max;
    if (ranges && (*here.min > *there.max || *there.min > *here.max)) {
      return fmt::format("{} to {} here, {} to {} there", *here.min, *here.max, *there.min,
                         *there.max);
    }
    return {};
  }

  // H12
  void check_safety(const model::ExchangeTransaction& t, const RegisterMap& map) {
    if (!t.on_loss || (*t.on_loss != model::OnLoss::hold && *t.on_loss != model::OnLoss::none)) {
      return;
    }
    for (const Point* p : points(map, *t.read)) {
      if (!any_of_words(words_of(p->name), safety)) continue;
      report(
          out_, RuleCode::H12, Severity::warning, place_or(declared(t).on_loss, declared(t).place),
          subject_of(declared(t)),
          fmt::format("'{}' {} when the slave is lost: the program goes on with what it was",
                      p->name, *t.on_loss == model::OnLoss::hold ? "is held" : "is left as it is"),
          "on_loss = \"stop\" or \"alarm\"; or accept it if nothing depends on it",
          {{p->place, "the point is listed here"}});
      return;
    }
  }

  struct Order {
    std::set<std::string> points;
    const Point* first = nullptr;
    WordOrder order{};
    const model::ExchangeTransaction* t = nullptr;
  };
  const model::ResolvedPlan& plan_;
  Findings& out_;
  std::map<std::pair<std::size_t, std::size_t>, Order> orders_;  // by slave and controller
  // By controller, store and first bit of what is sent.
  std::map<std::tuple<std::size_t, std::size_t, std::uint64_t>, Sent> sent_;
};

}  // namespace

void check_meanings(const RuleInput& in, Findings& out) {
  Meanings(in.plan, out).check();
}

}  // namespace greymet::checks
