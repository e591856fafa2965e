// CSV tables and register maps.
#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "files/csv_reader.h"
#include "files/map_reader.h"

using namespace greymet;
using namespace greymet::files;

namespace {

// "a@1:1|b@1:3" a row
std::string dump(const std::string& text) {
  const auto table = read_csv(text, 0);
  if (!table)
    return fmt::format("! {}:{} {}", table.error().place.line, table.error().place.column,
                       table.error().message);
  std::string out;
  const auto add = [&out](const std::vector<Cell>& row) {
    if (!out.empty()) out += '\n';
    for (std::size_t i = 0; i < row.size(); ++i) {
      out += fmt::format("{}{}@{}:{}", i > 0 ? "|" : "", row[i].text, row[i].place.line,
                         row[i].place.column);
    }
  };
  add(table->header);
  for (const auto& row : table->rows) add(row);
  return out;
}

// Points and findings of a map, one a line.
std::string map_of(const std::string& text, model::Numbering numbering = model::Numbering::from_0) {
  model::Findings findings;
  const model::RegisterMap map =
      read_map(text, "m.csv", 0, numbering, {model::SubjectKind::slave, "s"}, findings);
  std::string out;
  for (const model::Point& p : map.points()) {
    out += fmt::format("{} {} {} x{} +{}\n", p.name, to_text(p.address), to_text(p.type), p.factor,
                       p.offset);
  }
  for (const auto& f : findings) {
    out += fmt::format("{} {}:{} {} | {}\n", to_string(f.rule), f.place.line, f.place.column,
                       f.message, f.remedy);
  }
  return out;
}

const std::string head = "point,area,address,type\n";

}  // namespace

TEST_CASE("cells have their places, whatever the line ends and delimiters are") {
  CHECK(dump("a,b\n1,2\n") == "a@1:1|b@1:3\n1@2:1|2@2:3");
  CHECK(dump("a;b\r\n1;2\r\n") == "a@1:1|b@1:3\n1@2:1|2@2:3");
  CHECK(dump("a\tb\n1\t2") == "a@1:1|b@1:3\n1@2:1|2@2:3");
  CHECK(dump("\xEF\xBB\xBF"
             "a,b\n1,2\n") == "a@1:1|b@1:3\n1@2:1|2@2:3");
  CHECK(dump("a,b\n\n\n1,2\n") == "a@1:1|b@1:3\n1@4:1|2@4:3");
  CHECK(dump("a,b\n\"x, \"\"y\"\"\",2\n") == "a@1:1|b@1:3\nx, \"y\"@2:1|2@2:12");
  CHECK(dump("a,b\n\"two\nlines\",2\n3,4\n") == "a@1:1|b@1:3\ntwo\nlines@2:1|2@3:8\n3@4:1|4@4:3");
  CHECK(dump("a;b,c\n1;2\n") == "a;b@1:1|c@1:5\n1;2@2:1");  // a tie goes to the comma
  CHECK(dump("\xC3\xA4,b\n") == "\xC3\xA4@1:1|b@1:3");
  CHECK(dump("a,,c\n,2,\n") == "a@1:1|@1:3|c@1:4\n@2:1|2@2:2|@2:4");
}

TEST_CASE("what is no table is refused") {
  CHECK(dump("") == "! 1:1 is empty");
  CHECK(dump("\n\n") == "! 3:1 is empty");
  CHECK(dump("a,b\n\"open,2\n").find("a quote is opened and not closed") != std::string::npos);
  CHECK(dump("a,b\n1\"x\",2\n").find("a quote is opened") != std::string::npos);
}

TEST_CASE("a table has a million cells at most, empty ones counted") {
  const auto cells = [](std::size_t count) {
    std::string text = "a,b\n";
    for (std::size_t i = 2; i < count; i += 1000) {
      text += "x" + std::string(std::min<std::size_t>(1000, count - i) - 1, ',') + "\n";
    }
    return read_csv(text, 0);
  };
  CHECK(cells(1'000'000).has_value());
  REQUIRE_FALSE(cells(1'000'001).has_value());
  CHECK(cells(1'000'001).error().message == "has more than 1000000 cells");
}

TEST_CASE("a map in any order of columns, with factors and notes") {
  CHECK(map_of("note,type,address,area,point,factor,offset,order code\n"
               "\"hot, really\",i16,4,hr,temp,0.1,-20,K7\n"
               ",bool,3,discrete input,door,,,\n") ==
        "temp hr:4 i16 x0.1 +-20\ndoor di:3 bool x1 +0\n");
  model::Findings findings;
  const auto map =
      read_map("point,area,address,type,maker,colour\na,hr,1,u16,Orrin,red\n", "m.csv", 0,
               model::Numbering::from_0, {model::SubjectKind::slave, "s"}, findings);
  CHECK(map.extra_columns() == std::vector<std::string>{"maker", "colour"});
  CHECK(map.points()[0].extra == std::vector<std::string>{"Orrin", "red"});
  CHECK(map.points()[0].access == model::Access::read_write);
}

TEST_CASE("addresses count as the manual does") {
  CHECK(map_of(head + "a,hr,1,u16\n", model::Numbering::from_1) == "a hr:0 u16 x1 +0\n");
  CHECK(map_of(head + "a,hr,40001,u16\nb,ir,300002,u16\n", model::Numbering::reference) ==
        "a hr:0 u16 x1 +0\nb ir:1 u16 x1 +0\n");
  CHECK(map_of(head + "a,hr,0x1000,f32\nb,hr,1002h,f32\nc,hr,hr:7,u16\nd,hr,ref:40009,u16\n") ==
        "a hr:4096 f32 x1 +0\nb hr:4098 f32 x1 +0\nc hr:7 u16 x1 +0\nd hr:8 u16 x1 +0\n");
}

TEST_CASE("bad rows are left out and told with their number") {
  const std::vector<std::pair<std::string, std::string>> rows{
      {"a,hr,12x,u16\n", "P07 2:6 row 2: '12x' is not an address"},
      {"a,ir,ref:40001,u16\n",
       "P07 2:6 row 2: address 'ref:40001' is a holding register, the area column says input "
       "register"},
      {"a,hr,65535,f32\n", "P07 2:6 row 2: address '65535' is not valid"},
      {"a,hr,70000,u16\n", "P07 2:6 row 2: address '70000' is not valid"},
      {"a,xx,1,u16\n", "P07 2:3 row 2: area 'xx' is not valid"},
      {"a,hr,1,word\n", "P07 2:8 row 2: type 'word' is not valid"},
      {"a,co,1,u16\n", "P07 2:8 row 2: type 'u16' is not valid | write bool: a coil holds one bit"},
      {"1a,hr,1,u16\n", "P07 2:1 row 2: point '1a' is not valid"},
      {",hr,1,u16\n", "P07 2:1 row 2: `point` is empty"},
      {"a,hr,,u16\n", "P07 2:1 row 2: `address` is empty"},
      {"a,hr,1\n", "P07 2:1 row 2: `type` is empty"},
      {"a,hr,1,u16,5\n", "P07 2:1 row 2: 5 cells, the header has 4"},
      {"a,hr,1,u16\na,hr,2,u16\n",
       "a hr:1 u16 x1 +0\nP04 3:1 row 3: point 'a' is already in row 2"},
      {"", "P07 1:1 has a header row and no points yet"},
  };
  for (const auto& [text, expected] : rows) {
    INFO(text);
    CHECK(map_of(head + text).substr(0, expected.size()) == expected);
  }
  const std::string wide = "point,area,address,type,bit,factor,access,min,decimals,word_order\n";
  const std::vector<std::pair<std::string, std::string>> cells{
      {"a,hr,1,u16,,\"0,1\",,,,\n", "P07 2:13 row 2: factor '0,1' has a decimal comma | write 0.1"},
      {"a,hr,1,u16,,ten,,,,\n", "P07 2:13 row 2: factor 'ten' is not valid"},
      {"a,hr,1,u16,,inf,,,,\n", "P07 2:13 row 2: factor 'inf' is not valid"},
      {"a,hr,1,bool,16,,,,,\n",
       "D03 2:13 row 2: bit 16 does not exist: a register has bits 0 to 15"},
      {"a,hr,1,u16,3,,,,,\n", "P07 2:12 row 2: bit '3' is not valid"},
      {"a,hr,1,u16,,,x,,,\n", "P07 2:14 row 2: access 'x' is not valid"},
      {"a,ir,1,u16,,,rw,,,\n",
       "P07 2:14 row 2: access 'rw' is not valid | write r: this area can only be read"},
      {"a,hr,1,u16,,,,,-1,\n", "P07 2:16 row 2: decimals '-1' is not valid"},
      {"a,hr,1,f32,,,,,,ABDC\n", "P07 2:17 row 2: word_order 'ABDC' is not valid"},
  };
  for (const auto& [text, expected] : cells) {
    INFO(text);
    CHECK(map_of(wide + text).substr(0, expected.size()) == expected);
  }
}

TEST_CASE("a header that is none is said once for each column") {
  CHECK(map_of("pont,area,address,type\nx,hr,1,u16\n").substr(0, 75) ==
        "P07 1:1 column 'point' is missing; is it the one called 'pont'? | write poi");
  CHECK(map_of("[plan]\ntitle = 5\n").find("column 'area' is missing") != std::string::npos);
  CHECK(map_of("point,area,area,address,type\nx,hr,hr,1,u16\n").substr(0, 38) ==
        "P07 1:12 column 'area' appears twice |");
}

TEST_CASE("names of values stand in a column of a map, and a bad one says what is wrong") {
  const auto said = [](const std::string& type, const std::string& names) {
    model::Findings findings;
    const auto map =
        read_map("point,area,address,type,names\nmode,hr,1," + type + "," + names + "\n", "m.csv",
                 0, model::Numbering::from_0, {}, findings);
    if (findings.empty()) return names_text(map.points().at(0).names);
    return findings.front().message + " | " + findings.front().remedy;
  };
  CHECK(said("u16", "0=off; 7=auto") == "0=off; 7=auto");
  CHECK(said("u16", "\"0: off, 7: auto\"") == "0=off; 7=auto");
  CHECK(said("bits", "15=watchdog") == "15=watchdog");
  CHECK(said("u16", "off") ==
        "row 2: names 'off' is not valid | write 0=off; 1=on, each number once ('off' is no number "
        "with its name)");
  CHECK(said("bits", "16=x").ends_with("(16 is no bit of bits)"));
  CHECK(said("f32", "0=off").ends_with("| write none for f32: whole numbers and bits have them"));
}
