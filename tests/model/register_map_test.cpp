#include "model/register_map.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <algorithm>

using namespace greymet::model;

namespace {

Point point(std::string name, std::uint16_t offset, const char* type) {
  Point p;
  p.name = std::move(name);
  p.address = {Area::holding_register, {offset}};
  p.type = *data_type_from(type);
  return p;
}

// Random points in the first registers, overlapping as they like.
RegisterMap random_map() {
  std::vector<Point> points;
  const auto count = *rc::gen::inRange(0, 12);
  for (int i = 0; i < count; ++i) {
    const char* type = *rc::gen::element("u16", "f32", "u64", "text(6)");
    points.push_back(point("p" + std::to_string(i), *rc::gen::inRange<std::uint16_t>(0, 30), type));
  }
  return {"map.csv", std::move(points), {}};
}

// Asks every point about every register: slow and obvious.
bool listed(const RegisterMap& map, std::uint32_t offset) {
  return std::any_of(map.points().begin(), map.points().end(), [offset](const Point& p) {
    const Extent e = extent_of(p);
    return e.first <= offset && offset < e.end;
  });
}

constexpr Area hr = Area::holding_register;

}  // namespace

TEST_CASE("the index of a map answers as asking every point would") {
  rc::prop("against a scan", [] {
    const RegisterMap map = random_map();
    for (std::uint32_t r = 0; r < 36; ++r) {
      RC_ASSERT(map.lists(hr, r) == listed(map, r));
      const bool starts = std::any_of(map.points().begin(), map.points().end(),
                                      [r](const Point& p) { return extent_of(p).first == r; });
      const bool ends = std::any_of(map.points().begin(), map.points().end(),
                                    [r](const Point& p) { return extent_of(p).end == r; });
      RC_ASSERT(map.point_starts_at(hr, r) == starts);
      RC_ASSERT(map.point_ends_at(hr, r) == ends);
      const auto run = map.run_around(hr, r);
      RC_ASSERT(run.has_value() == listed(map, r));
      if (!run) continue;
      for (std::uint32_t i = run->first; i < run->end; ++i) RC_ASSERT(listed(map, i));
      RC_ASSERT(run->first == 0 || !listed(map, run->first - 1));
      RC_ASSERT(!listed(map, run->end));
    }
  });
}

TEST_CASE("holes and touching points of a block agree with a scan") {
  rc::prop("against a scan", [] {
    const RegisterMap map = random_map();
    const auto first = *rc::gen::inRange<std::uint32_t>(0, 34);
    const Extent block{first, first + *rc::gen::inRange<std::uint32_t>(1, 10)};
    std::vector<bool> hole(64, false);
    for (const Extent& h : map.holes_in(hr, block)) {
      RC_ASSERT(h.first < h.end);
      for (std::uint32_t r = h.first; r < h.end; ++r) hole[r] = true;
    }
    for (std::uint32_t r = block.first; r < block.end; ++r) RC_ASSERT(hole[r] == !listed(map, r));
    const auto touching = map.points_touching(hr, block);
    for (const Point& p : map.points()) {
      const Extent e = extent_of(p);
      const bool touches = e.first < block.end && block.first < e.end;
      const bool found = std::find(touching.begin(), touching.end(), &p) != touching.end();
      RC_ASSERT(touches == found);
    }
  });
}

TEST_CASE("areas of a map are kept apart, and names are found") {
  Point coil;
  coil.name = "lamp";
  coil.address = {Area::coil, {5}};
  coil.type = {TypeKind::boolean, 0};
  const RegisterMap map("m.csv", {point("speed", 5, "f32"), coil}, {});
  CHECK(map.lists(hr, 6));
  CHECK_FALSE(map.lists(Area::coil, 6));
  CHECK(map.lists(Area::coil, 5));
  REQUIRE(map.find("lamp") != nullptr);
  CHECK(map.find("lamp")->address.area == Area::coil);
  CHECK(map.find("nobody") == nullptr);
}

TEST_CASE("a value at the end of the area is cut there") {
  const RegisterMap map("m.csv", {point("last", 65535, "f32")}, {});
  CHECK(map.lists(hr, 65535));
  CHECK(map.point_ends_at(hr, 65536));
}

TEST_CASE("an address as its manual prints it reads back as the same one") {
  const Address at{Area::holding_register, {72}};
  CHECK(manual_text(at, AddressLook::decimal, Numbering::from_0) == "72");
  CHECK(manual_text(at, AddressLook::decimal, Numbering::from_1) == "73");
  CHECK(manual_text(at, AddressLook::hexadecimal, Numbering::from_0) == "0x0048");
  CHECK(manual_text(at, AddressLook::hexadecimal, Numbering::from_1) == "0x0049");
  CHECK(manual_text(at, AddressLook::reference5, Numbering::reference) == "40073");
  CHECK(manual_text(at, AddressLook::reference6, Numbering::reference) == "400073");
  // five digits end at 9999
  CHECK(manual_text({Area::input_register, {10'000}}, AddressLook::reference5,
                    Numbering::reference) == "310001");
  for (const auto offset :
       std::initializer_list<std::uint16_t>{0, 1, 72, 9998, 9999, 4113, 65535}) {
    for (const auto look : {AddressLook::decimal, AddressLook::hexadecimal}) {
      for (const auto numbering : {Numbering::from_0, Numbering::from_1}) {
        const std::string text = manual_text({Area::coil, {offset}}, look, numbering);
        if (text == "65536" || text == "0x10000") continue;  // behind the last of a manual
        const auto read = read_address({text, true}, numbering);
        INFO(text);
        REQUIRE(read);
        CHECK(read->offset == offset);
      }
    }
  }
}
