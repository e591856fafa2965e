// What a map calls the values of its points, and what a controller's tool wants typed.
#include <catch2/catch.hpp>

#include "model/controller.h"
#include "model/register_map.h"

using namespace greymet::model;

namespace {

std::string read(std::string_view text) {
  const auto names = value_names_from(text);
  return names ? names_text(*names) : "! " + names.error();
}

Point named(const char* type, const char* names) {
  Point p;
  p.type = *data_type_from(type);
  p.names = value_names_from(names).value();
  return p;
}

}  // namespace

TEST_CASE("names of values are read in the habits of manuals, and written in one") {
  CHECK(read("0=off; 1=on") == "0=off; 1=on");
  CHECK(read(" 1 : on , 0 : off ") == "0=off; 1=on");
  CHECK(read("0=off|0x10=running, fast|-1=unknown") == "-1=unknown; 0=off; 16=running, fast");
  CHECK(read("2=a=b") == "2=a=b");
  for (const char* bad : {"", ";", "off", "0=", "=off", "a=off", "1.5=half", "10h=ten"}) {
    CHECK(read(bad).starts_with("! "));
  }
  CHECK(read("1=on; 0x1=run") == "! 1 has two names");
  // what is written is read as the same
  const std::string all = read("3=three; 1=one; 2=t:wo");
  CHECK(read(all) == all);
}

TEST_CASE("a value has its name, and a word of bits those of all that are set") {
  const Point state = named("u16", "0=off; 1=on");
  CHECK(name_of_value(state, 1) == "on");
  CHECK(name_of_value(state, 2).empty());
  const Point alarms = named("bits", "0=run; 3=door open; 15=watchdog");
  CHECK(name_of_value(alarms, 0).empty());
  CHECK(name_of_value(alarms, 0x8009) == "run, door open, watchdog");
  CHECK(name_of_value(alarms, 2).empty());
}

TEST_CASE("what to type is what the controller's tool counts by") {
  Controller c;
  const Address low{Area::holding_register, {72}};
  const Address high{Area::input_register, {20000}};
  CHECK(to_type(c, low).empty());
  CHECK(to_type(c, std::chrono::milliseconds(250)).empty());
  const auto typed = [&](ToolCounts counts, Address address) {
    c.tool_counts = {counts, {}};
    return to_type(c, address);
  };
  CHECK(typed(ToolCounts::from_0, low) == "72");
  CHECK(typed(ToolCounts::from_1, low) == "73");
  CHECK(typed(ToolCounts::reference, low) == "40073");
  CHECK(typed(ToolCounts::reference, high) == "320001");  // five digits end at 9999
  CHECK(typed(ToolCounts::reference6, low) == "400073");
  CHECK(typed(ToolCounts::hex, high) == "0x4E20");
  c.tool_times = {std::chrono::milliseconds(10), {}};
  CHECK(to_type(c, std::chrono::milliseconds(250)) == "25");
  CHECK(to_type(c, std::chrono::milliseconds(125)) == "12.5");
}
