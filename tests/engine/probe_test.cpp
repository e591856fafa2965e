// Probing against a device that was written for these tests from the words of the standard: what is
// said to be settled must be the truth, and nothing is asked that was not announced.
#include <array>
#include <cmath>
#include <cstring>
#include <functional>
#include <map>
#include <set>

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "engine/probe_lines.h"
#include "engine/probe_map.h"
#include "engine/probe_reach.h"
#include "engine/probe_value.h"
#include "plans.h"

using namespace greymet;
using engine::ProbeAnswer;
using engine::ProbeBlock;
using model::Area;
using model::DataType;
using model::TypeKind;
using model::WordOrder;

namespace {

// Holding and input registers by number; what it has, what it does not, and how it misbehaves.
class TestDevice final : public engine::ProbeDevice {
 public:
  [[nodiscard]] ProbeAnswer ask(const ProbeBlock& block) override {
    asked.push_back(block);
    if (!announced.empty()) CHECK(announced.count(block) == 1);
    if (before) before();
    ProbeAnswer answer;
    answer.took = std::chrono::milliseconds(10);
    if (silent) {
      answer.outcome = engine::Outcome::timeout;
      answer.cause = engine::Cause::no_reply;
      answer.took = std::chrono::milliseconds(200);
      return answer;
    }
    answer.outcome = engine::Outcome::exception;
    answer.exception = failing != 0 ? failing : refusal_of(block);
    if (answer.exception != 0) return answer;
    answer.outcome = engine::Outcome::good;
    for (std::uint32_t i = 0; i < block.count; ++i) {
      const auto at = words.find(block.first + i);
      answer.words.push_back(at == words.end() ? std::uint16_t{0} : at->second);
    }
    return answer;
  }
  bool wait(engine::Duration time) override {
    waited += time;
    return true;
  }

  std::map<std::uint32_t, std::uint16_t> words;
  std::set<std::uint32_t> missing;  // addresses
  std::set<Area> without;           // functions that it does not know
  std::uint32_t most = 125;
  std::uint8_t failing = 0;  // this exception, whatever is asked
  bool silent = false;
  std::set<ProbeBlock> announced;
  std::vector<ProbeBlock> asked;
  engine::Duration waited{};
  std::function<void()> before;  // each answer

 private:
  // Function, then quantity, then address, as in the state diagrams of the standard.
  [[nodiscard]] std::uint8_t refusal_of(const ProbeBlock& block) const {
    if (without.count(block.area) != 0) return 1;
    if (block.count > most) return 3;
    for (std::uint32_t i = 0; i < block.count; ++i) {
      if (missing.count(block.first + i) != 0) return 2;
    }
    return 0;
  }
};

// The bytes of a value, most significant first, by the document of each type.
std::vector<std::uint8_t> bytes_of(TypeKind kind, double value) {
  std::uint64_t bits = 0;
  std::size_t size = 2;
  switch (kind) {
    case TypeKind::f32: {
      const auto f = static_cast<float>(value);
      std::uint32_t raw = 0;
      std::memcpy(&raw, &f, sizeof raw);
      bits = raw;
      size = 4;
      break;
    }
    case TypeKind::f64:
      std::memcpy(&bits, &value, sizeof bits);
      size = 8;
      break;
    case TypeKind::u32:
    case TypeKind::i32:
      bits = static_cast<std::uint64_t>(std::llround(value));
      size = 4;
      break;
    case TypeKind::u64:
    case TypeKind::i64:
      bits = static_cast<std::uint64_t>(std::llround(value));
      size = 8;
      break;
    default: bits = static_cast<std::uint64_t>(std::llround(value)); break;
  }
  std::vector<std::uint8_t> out;
  for (std::size_t i = size; i-- > 0;) out.push_back(static_cast<std::uint8_t>(bits >> (8 * i)));
  return out;
}

// ABCD: as it is. CDAB: words turned round. BADC: the bytes of each word. DCBA: both.
std::vector<std::uint16_t> words_in(std::vector<std::uint8_t> bytes, WordOrder order) {
  std::vector<std::uint16_t> out;
  for (std::size_t i = 0; i < bytes.size(); i += 2) {
    const bool swapped = order == WordOrder::badc || order == WordOrder::dcba;
    const unsigned high = bytes[i + (swapped ? 1 : 0)];
    const unsigned low = bytes[i + (swapped ? 0 : 1)];
    out.push_back(static_cast<std::uint16_t>(high << 8U | low));
  }
  if (order == WordOrder::cdab || order == WordOrder::dcba) std::reverse(out.begin(), out.end());
  return out;
}

constexpr std::array<WordOrder, 4> all_orders{WordOrder::abcd, WordOrder::cdab, WordOrder::badc,
                                              WordOrder::dcba};

}  // namespace

TEST_CASE("what a probe says is settled is where and how the device has the value") {
  std::size_t settled = 0;
  std::size_t tried = 0;
  rc::prop("of any value at any place in any order", [&] {
    const auto kind = *rc::gen::element(TypeKind::f32, TypeKind::u32, TypeKind::i32, TypeKind::u16,
                                        TypeKind::i16, TypeKind::f64);
    const int shift = *rc::gen::inRange(-1, 2);
    const bool single = kind == TypeKind::u16 || kind == TypeKind::i16;
    // of a single register the standard says how its bytes lie
    const WordOrder order = single ? WordOrder::abcd : *rc::gen::elementOf(all_orders);
    const WordOrder planned = *rc::gen::elementOf(all_orders);
    const int digits = *rc::gen::inRange(0, 3);
    const double step = std::pow(10.0, -digits);
    const bool real = kind == TypeKind::f32 || kind == TypeKind::f64;
    const double value = *rc::gen::inRange(1, 30000) * (real ? step : 1.0);
    TestDevice device;
    // neighbours hold anything, also nearly the same
    for (std::uint32_t i = 90; i < 120; ++i) {
      const bool small = *rc::gen::arbitrary<bool>();
      device.words[i] = small ? static_cast<std::uint16_t>(*rc::gen::inRange(0, 4))
                              : *rc::gen::arbitrary<std::uint16_t>();
    }
    engine::ValueTarget target;
    target.first = 100;
    target.type = {kind, 0};
    target.order = planned;
    const auto words = words_in(bytes_of(kind, value), order);
    for (std::size_t i = 0; i < words.size(); ++i) {
      device.words[static_cast<std::uint32_t>(100 + shift) + static_cast<std::uint32_t>(i)] =
          words[i];
    }
    for (const ProbeBlock& block : engine::value_blocks(target)) device.announced.insert(block);
    engine::PoliteDevice polite(device);
    const std::string near = fmt::format("{:.{}f}", value, real ? digits : 0);
    const auto probe = engine::probe_value(polite, target, near);
    RC_ASSERT(device.asked.size() >= 3U && device.asked.size() <= 9U);
    ++tried;
    // the truth is always among what fits
    const bool has_truth =
        std::any_of(probe.fits.begin(), probe.fits.end(), [&](const engine::ValueFit& fit) {
          return fit.shift == shift && fit.scale == 1 && fit.deviation == 0 &&
                 (words.size() == 1 || fit.order == order);
        });
    RC_ASSERT(has_truth);
    if (!probe.settled) return;
    ++settled;
    const engine::ValueFit& fit = probe.fits.front();
    RC_ASSERT(fit.shift == shift);
    RC_ASSERT(words.size() == 1U || fit.order == order);
    RC_ASSERT(fit.scale == 1);
    RC_ASSERT(std::abs(fit.value - value) <= 0.5 * step);
  });
  // it has to be good for something
  CHECK(3 * settled > tried);
}

TEST_CASE("a value that moves while one looks is never settled at another place") {
  // The display is read by a person, the device a moment later: by then the value has moved.
  std::size_t settled = 0;
  rc::prop("by up to a part in a hundred, at every look", [&] {
    const int shift = *rc::gen::inRange(-1, 2);
    const WordOrder order = *rc::gen::elementOf(all_orders);
    const double value = *rc::gen::inRange(1000, 30000) * 0.01;
    engine::ValueTarget target;
    target.first = 100;
    target.type = {TypeKind::f32, 0};
    target.order = *rc::gen::elementOf(all_orders);
    TestDevice device;
    for (std::uint32_t i = 90; i < 120; ++i) device.words[i] = *rc::gen::arbitrary<std::uint16_t>();
    // some stand still
    const int speed = *rc::gen::arbitrary<bool>() ? *rc::gen::inRange(-100, 101) : 0;
    int looks = 0;
    device.before = [&] {
      const double now = value * (1 + 1e-4 * speed * (1 + 0.1 * looks++));
      const auto words = words_in(bytes_of(TypeKind::f32, now), order);
      for (std::uint32_t i = 0; i < 2; ++i)
        device.words[static_cast<std::uint32_t>(100 + shift) + i] = words[i];
    };
    engine::PoliteDevice polite(device);
    const auto probe = engine::probe_value(polite, target, fmt::format("{:.2f}", value));
    if (!probe.settled) return;
    ++settled;
    RC_ASSERT(probe.fits.front().shift == shift);
    RC_ASSERT(probe.fits.front().order == order);
  });
  CHECK(settled > 0);
}

TEST_CASE("floats with turned words one lower are told from their shadow where the plan looks") {
  const auto settled_as = [](const std::string& near, std::uint16_t low) {
    TestDevice device;
    // 123.456 is 42F6 E979; read one higher and as it is written, it is 42F6 0011: 123.0001
    device.words = {{9, low}, {10, 0x42F6}, {11, 0x0011}};
    engine::ValueTarget target;
    target.first = 10;
    target.type = {TypeKind::f32, 0};
    engine::PoliteDevice polite(device);
    const auto probe = engine::probe_value(polite, target, near);
    return probe.settled
               ? fmt::format("{} {}", probe.fits.front().shift, to_string(probe.fits.front().order))
               : probe.why_not.substr(0, 10);
  };
  CHECK(settled_as("123.46", 0xE979) == "-1 CDAB");
  CHECK(settled_as("123.5", 0xE979) == "-1 CDAB");
  // the shadow moves while one looks: it may be the value, and the digits be by chance
  TestDevice moving;
  moving.words = {{9, 0x3333}, {10, 0x42F6}, {11, 0xEB85}};  // 123.46 as the plan would read it
  moving.before = [&] { moving.words[9] = static_cast<std::uint16_t>(moving.words[9] + 0x40); };
  engine::ValueTarget target_of_moving;
  target_of_moving.first = 10;
  target_of_moving.type = {TypeKind::f32, 0};
  engine::PoliteDevice asking(moving);
  CHECK_FALSE(engine::probe_value(asking, target_of_moving, "123.46").settled);
  moving.before = {};
  engine::PoliteDevice still(moving);
  CHECK(engine::probe_value(still, target_of_moving, "123.46").settled);
  // both have these digits
  CHECK(settled_as("123", 0xE979) == "2 readings");
  CHECK(settled_as("123.0", 0x0015) == "2 readings");
  CHECK(settled_as("123.0", 0xE979) == "0 ABCD");
}

TEST_CASE("values that are nearly the same at both places settle nothing") {
  TestDevice device;
  // three phases of a meter, x 0.1 V, and a display that shows the second
  device.words = {{9, 2301}, {10, 2304}, {11, 2298}};
  engine::ValueTarget target;
  target.first = 10;
  target.type = {TypeKind::u16, 0};
  target.factor = 0.1;
  engine::PoliteDevice polite(device);
  const auto probe = engine::probe_value(polite, target, "230.4");
  CHECK_FALSE(probe.settled);
  CHECK(probe.why_not == "3 readings come near to it: look again when the value is another one");
  CHECK(probe.fits.front().shift == 0);
  // nothing of it is near: no answer either
  TestDevice other;
  other.words = {{9, 7}, {10, 4711}, {11, 8}};
  engine::PoliteDevice again(other);
  const auto nothing = engine::probe_value(again, target, "12.9");
  CHECK_FALSE(nothing.settled);
  CHECK(nothing.fits.empty());
  CHECK(nothing.why_not == "no type, order or usual scale of these registers gives what is shown");
}

TEST_CASE("a zero settles nothing, and a scale only where all else is as planned") {
  engine::ValueTarget target;
  target.first = 10;
  target.type = {TypeKind::u16, 0};
  const auto probed = [&](std::map<std::uint32_t, std::uint16_t> words, const std::string& near) {
    TestDevice device;
    device.words = std::move(words);
    engine::PoliteDevice polite(device);
    return engine::probe_value(polite, target, near);
  };
  CHECK_FALSE(probed({{9, 55}, {10, 0}, {11, 77}}, "0").settled);
  const auto tenths = probed({{9, 9}, {10, 4312}, {11, 7}}, "431.2");
  CHECK(tenths.settled);
  CHECK(tenths.fits.front().scale == 0.1);
  const auto hours = probed({{9, 9}, {10, 7200}, {11, 7}}, "2.00");
  CHECK(hours.settled);
  CHECK(hours.fits.front().scale == Approx(1.0 / 3600));
  // two digits fit by chance
  CHECK_FALSE(probed({{9, 9}, {10, 43}, {11, 7}}, "4.3").settled);
  // a scale and another place at once
  CHECK_FALSE(probed({{9, 9}, {10, 1}, {11, 4312}}, "431.2").settled);
  // the edge of the address space
  target.first = 65535;
  CHECK(engine::value_blocks(target).size() == 2);
  target.first = 0;
  CHECK(engine::value_blocks(target).size() == 2);
}

TEST_CASE("a device in trouble is asked less, and then not at all") {
  TestDevice silent;
  silent.silent = true;
  engine::PoliteDevice polite(silent);
  for (std::uint32_t i = 0; i < 50; ++i) (void)polite.ask({Area::holding_register, i, 1});
  CHECK(silent.asked.size() == 3);
  CHECK(polite.gave_up());
  CHECK(polite.had_trouble());
  // as long as the requests took, and then twice and four times that
  CHECK(silent.waited == std::chrono::milliseconds(400 + 800));
  // a device that says busy or broken is in trouble, too; one that says no is not
  for (const int code : {4, 5, 6, 8, 10, 11}) {
    TestDevice failing;
    failing.failing = static_cast<std::uint8_t>(code);
    engine::PoliteDevice asking(failing);
    for (std::uint32_t i = 0; i < 9; ++i) (void)asking.ask({Area::holding_register, i, 1});
    CHECK(failing.asked.size() == 3);
  }
  TestDevice refusing;
  refusing.failing = 2;
  engine::PoliteDevice asking(refusing);
  for (std::uint32_t i = 0; i < 9; ++i) (void)asking.ask({Area::holding_register, i, 1});
  CHECK(refusing.asked.size() == 9);
  // no block twice, unless that is meant; and an end
  (void)asking.ask({Area::holding_register, 0, 1});
  CHECK(refusing.asked.size() == 9);
  for (int i = 0; i < 1000; ++i) (void)asking.ask_again({Area::holding_register, 0, 1});
  CHECK(refusing.asked.size() == 300);
  CHECK_FALSE(asking.had_trouble());
}

TEST_CASE("requests take no more of the line than they may") {
  for (const double share : {1.0, 0.5, 0.2, 0.05}) {
    TestDevice device;
    engine::PoliteDevice polite(device, {share, 3, 300});
    for (std::uint32_t i = 0; i < 20; ++i) (void)polite.ask({Area::holding_register, i, 1});
    const double busy = 20 * 0.010;
    const double all = busy + std::chrono::duration<double>(device.waited).count();
    CHECK(busy / all <= share * 1.0001);
    CHECK(busy / all > share * 0.9);
  }
}

TEST_CASE("the longest block is one that is answered, and what is refused is longer") {
  rc::prop("whatever the device's own limit", [] {
    TestDevice device;
    device.most = *rc::gen::inRange(1U, 200U);
    const bool short_memory = *rc::gen::arbitrary<bool>();
    const std::uint32_t end = *rc::gen::inRange(1U, 200U);
    if (short_memory) {
      for (std::uint32_t i = end; i < 400; ++i) device.missing.insert(i);
    }
    for (const ProbeBlock& block : engine::length_blocks(Area::holding_register, 0)) {
      RC_ASSERT(block.count <= 125U);
      device.announced.insert(block);
    }
    engine::PoliteDevice polite(device);
    const auto length = engine::probe_length(polite, Area::holding_register, 0);
    RC_ASSERT(device.asked.size() <= 8U);
    RC_ASSERT(length.block.count <= device.most);
    RC_ASSERT(length.block.count >= 1U);
    if (length.refused) RC_ASSERT(*length.refused > device.most);
    if (short_memory) RC_ASSERT(length.block.count <= end);
    RC_ASSERT(length.is_standards == (length.block.count == 125U));
    // between what is answered and what is refused there is no usual limit
    if (!short_memory && !length.is_standards) {
      RC_ASSERT(length.refused.has_value());
      RC_ASSERT(*length.refused - length.block.count <= 20U);
    }
  });
}

TEST_CASE("holes are judged by addresses alone, and mixed ones are not judged") {
  const auto holes_of = [](TestDevice& device) {
    test::Files files = test::base_files();
    files["gauge.csv"] =
        "point,area,address,type\na,hr,1,u16\nb,hr,4,u16\nc,hr,8,f32\nd,ir,5,u16\n";
    const auto loaded = test::load(test::with_rows({}), files);
    const model::RegisterMap& map = loaded.plan.plan.maps.front();
    const auto announced = engine::hole_blocks(map);
    for (const engine::HoleAnswer& hole : announced) device.announced.insert(hole.block);
    engine::PoliteDevice polite(device);
    const auto answers = engine::probe_holes(polite, map);
    const auto shown = engine::holes_shown(answers);
    return !shown ? "nothing" : *shown == model::Holes::zero ? "zero" : "refuse";
  };
  TestDevice open;
  CHECK(std::string(holes_of(open)) == "zero");
  // 2..3 and 5..7 between points; 0 and 10, 4 and 6 beside them
  CHECK(open.asked.size() == 6);
  TestDevice closed;
  for (const std::uint32_t at : {2U, 5U, 6U}) closed.missing.insert(at);
  CHECK(std::string(holes_of(closed)) == "refuse");
  TestDevice mixed;
  mixed.missing.insert(2);
  CHECK(std::string(holes_of(mixed)) == "nothing");
  // it refuses the length, and says nothing of the addresses
  TestDevice narrow;
  narrow.most = 1;
  CHECK(std::string(holes_of(narrow)) == "nothing");
  // edges prove nothing of holes
  TestDevice edges;
  for (const std::uint32_t at : {0U, 10U, 4U, 6U}) edges.missing.insert(at);
  CHECK(std::string(holes_of(edges)) != "refuse");
}

TEST_CASE("a function is missing where the device says so, and nowhere else") {
  TestDevice device;
  device.without = {Area::coil, Area::input_register};
  device.missing = {0};
  engine::PoliteDevice polite(device);
  const auto functions = engine::probe_functions(polite, nullptr);
  REQUIRE(functions.size() == 4);
  std::string text;
  for (const auto& each : functions) {
    text += !each.implemented ? "?" : *each.implemented ? "+" : "-";
  }
  CHECK(text == "-++-");
  TestDevice gone;
  gone.silent = true;
  engine::PoliteDevice asking(gone);
  for (const auto& each : engine::probe_functions(asking, nullptr)) CHECK_FALSE(each.implemented);
}

TEST_CASE("what is settled becomes lines of the plan, and what is confirmed is off `assumed`") {
  const auto lines_of = [](const std::string& keys, int shift, WordOrder order) {
    test::Files files = test::base_files();
    files["gauge.csv"] = "point,area,address,type\nflow,hr,10,f32\n";
    const auto loaded = test::load(
        test::replaced(test::with_rows({}), "[slave.gauge]\n", "[slave.gauge]\n" + keys), files);
    std::size_t gauge = 0;
    while (loaded.plan.plan.slaves[gauge].name != "gauge") ++gauge;
    const model::RegisterMap* map = loaded.plan.map_of({false, gauge, 0});
    engine::ValueProbe probe;
    probe.settled = true;
    probe.fits.push_back({shift, {TypeKind::f32, 0}, order, 1, 43.1, 0, {}});
    engine::ValueTarget target;
    target.type = {TypeKind::f32, 0};
    engine::PlanLines lines(loaded.plan, gauge);
    lines.add(probe, target, map->find("flow"));
    std::string text;
    const auto taken = lines.take();
    for (const engine::SettledKey& each : taken.keys) {
      text += fmt::format("{} = {}{}, ", each.key.key, each.key.text,
                          each.contradicts ? " !"
                          : each.is_new    ? ""
                                           : " (stands)");
    }
    for (const std::string& each : taken.by_hand) text += each + ", ";
    return text;
  };
  CHECK(lines_of("assumed = [\"numbering\", \"word_order\", \"unit\"]\nword_order = \"ABCD\"\n", 0,
                 WordOrder::abcd) ==
        "numbering = \"from-0\" (stands), word_order = \"ABCD\" (stands), assumed = [\"unit\"], ");
  CHECK(lines_of("", -1, WordOrder::cdab) == "numbering = \"from-1\", word_order = \"CDAB\" !, ");
  CHECK(lines_of("numbering = \"from-0\"\nword_order = \"ABCD\"\n", -1, WordOrder::cdab) ==
        "numbering = \"from-1\" !, word_order = \"CDAB\" !, ");
  CHECK(lines_of("numbering = \"from-1\"\nassumed = [\"numbering\"]\n", 1, WordOrder::abcd) ==
        "numbering = \"from-0\", word_order = \"ABCD\" (stands), assumed = [], ");
  CHECK(lines_of("", 1, WordOrder::abcd) ==
        "word_order = \"ABCD\" (stands), point flow lies one register higher than its map says: "
        "correct its "
        "address in the map, ");
}

TEST_CASE("a reply time that is written is never below what was measured") {
  rc::prop("for any times", [] {
    model::Delay measured;
    measured.typical = model::Duration(*rc::gen::inRange(0, 2'000'000'000));
    measured.max = measured.typical + model::Duration(*rc::gen::inRange(0, 2'000'000'000));
    const model::Delay state = engine::reply_to_state(measured);
    RC_ASSERT(state.typical >= measured.typical);
    RC_ASSERT(state.max.count() >= measured.max.count() + measured.max.count() / 4);
    RC_ASSERT(state.max >= state.typical);
    // and not far above it: two digits
    RC_ASSERT(static_cast<double>(state.typical.count()) <=
              1.1 * static_cast<double>(measured.typical.count()) + 100'000);
    RC_ASSERT(static_cast<double>(state.max.count()) <=
              1.1 * 1.25 * static_cast<double>(measured.max.count()) + 1'000'000);
  });
}

TEST_CASE("what a device has is found by reading, in few questions, and nothing that it has not") {
  rc::prop("any runs of registers", [] {
    TestDevice device;
    const std::uint32_t up_to = *rc::gen::inRange<std::uint32_t>(1, 300);
    std::set<std::uint32_t> has;
    const auto runs =
        *rc::gen::container<std::vector<std::pair<std::uint32_t, std::uint32_t>>>(rc::gen::pair(
            rc::gen::inRange<std::uint32_t>(0, 300), rc::gen::inRange<std::uint32_t>(1, 60)));
    for (const auto& [first, count] : runs) {
      for (std::uint32_t at = first; at < first + count; ++at) has.insert(at);
    }
    for (std::uint32_t at = 0; at < 400; ++at) {
      if (has.count(at) == 0) device.missing.insert(at);
      device.words[at] = static_cast<std::uint16_t>(at * 7);
    }
    for (const ProbeBlock& each : engine::map_blocks(Area::holding_register, up_to)) {
      device.announced.insert(each);
    }
    // the quarters' first registers are among them
    engine::ProbeLimits limits;
    limits.most_requests = 10'000;
    engine::PoliteDevice polite(device, limits);
    const auto found = engine::probe_map(polite, Area::holding_register, up_to);
    std::set<std::uint32_t> told;
    for (const auto& stretch : found) {
      for (std::size_t i = 0; i < stretch.words.size(); ++i) {
        const auto at = static_cast<std::uint32_t>(stretch.first + i);
        RC_ASSERT(has.count(at) == 1);
        RC_ASSERT(at < up_to);
        RC_ASSERT(stretch.words[i] == static_cast<std::uint16_t>(at * 7));
        RC_ASSERT(told.insert(at).second);
      }
    }
    // runs of a quarter or more are never missed
    for (std::uint32_t at = 0; at < up_to; ++at) {
      if (told.count(at) == 1 || has.count(at) == 0) continue;
      std::uint32_t before = at;
      std::uint32_t behind = at;
      while (before > 0 && has.count(before - 1) == 1) --before;
      while (has.count(behind + 1) == 1) ++behind;
      RC_ASSERT(behind - before + 1 < 8);
    }
  });
  // a device with nothing there is asked six times for each 32
  TestDevice empty;
  for (std::uint32_t at = 0; at < 400; ++at) empty.missing.insert(at);
  engine::PoliteDevice polite(empty);
  CHECK(engine::probe_map(polite, Area::holding_register, 192).empty());
  CHECK(empty.asked.size() == 6 * 6);
  // and one that is silent three times
  TestDevice silent;
  silent.silent = true;
  engine::PoliteDevice left_alone(silent);
  CHECK(engine::probe_map(left_alone, Area::holding_register, 192).empty());
  CHECK(silent.asked.size() == 3);
}
