// Maps from what device makers give.
#include "files/map_import.h"

#include <fmt/format.h>
#include <zip.h>

#include <catch2/catch.hpp>

#include "files/map_reader.h"
#include "files/new_plan.h"
#include "plans.h"

using namespace greymet;
using namespace std::string_literals;
using Lines = std::vector<std::string>;

namespace {

// An archive of these parts.
std::string zipped(const std::map<std::string, std::string>& parts) {
  zip_error_t error;
  zip_error_init(&error);
  zip_source_t* target = zip_source_buffer_create(nullptr, 0, 0, &error);
  zip_t* zip = zip_open_from_source(target, ZIP_CREATE, &error);
  REQUIRE(zip != nullptr);
  zip_source_keep(target);
  for (const auto& [name, text] : parts) {
    zip_file_add(zip, name.c_str(), zip_source_buffer(zip, text.data(), text.size(), 0), 0);
  }
  REQUIRE(zip_close(zip) == 0);
  zip_source_open(target);
  zip_source_seek(target, 0, SEEK_END);
  std::string out(static_cast<std::size_t>(zip_source_tell(target)), '\0');
  zip_source_seek(target, 0, SEEK_SET);
  zip_source_read(target, out.data(), out.size());
  zip_source_close(target);
  zip_source_free(target);
  return out;
}

// A workbook as ECMA-376 has it, with one shared string, texts in runs, and numbers.
std::string workbook(const std::string& rows, const std::string& other = "",
                     const std::string& first_text = "Signal") {
  return zipped({
      {"xl/workbook.xml",
       R"(<workbook xmlns:r="r"><sheets><sheet name="Cover" sheetId="1" r:id="rId1"/><sheet name="Registers" sheetId="2" r:id="rId2"/></sheets></workbook>)"},
      {"xl/_rels/workbook.xml.rels",
       R"(<Relationships><Relationship Id="rId1" Target="worksheets/sheet1.xml"/><Relationship Id="rId2" Target="/xl/worksheets/sheet2.xml"/></Relationships>)"},
      {"xl/sharedStrings.xml",
       "<sst><si><t>" + first_text +
           R"(</t></si><si><r><t>Reg</t></r><r><t>ister</t></r></si></sst>)"},
      {"xl/worksheets/sheet1.xml", "<worksheet><sheetData>" + other + "</sheetData></worksheet>"},
      {"xl/worksheets/sheet2.xml", "<worksheet><sheetData>" + rows + "</sheetData></worksheet>"},
  });
}

std::string text_cell(const std::string& at, const std::string& text) {
  return fmt::format(R"(<c r="{}" t="inlineStr"><is><t>{}</t></is></c>)", at, text);
}

model::RegisterMap map_of(const files::ImportedMap& imported) {
  model::Findings findings;
  const auto numbering =
      imported.numbering == "reference" ? model::Numbering::reference : model::Numbering::from_0;
  auto map = files::read_map(imported.csv, "map.csv", 0, numbering, {}, findings);
  for (const auto& f : findings) FAIL(f.message);
  return map;
}

}  // namespace

TEST_CASE("headings that people use are taken for ours, and it is said") {
  const auto map =
      files::import_map("gauge.csv",
                        "Signal;Register type;Register;Data type;Scale;UOM;R/W;Order no.\n"
                        "1st value;Holding Register;40001;REAL;0,5;%;RO;x\n"
                        "State;Input register;30011;UINT;;;;\n"
                        ";;;;;;;\n"
                        "Section two;;;;;;;\n"
                        "State;Coils;00003;BOOL;;;R/W;y\n");
  REQUIRE(map.has_value());
  CHECK(map->csv ==
        "point,area,address,type,factor,unit,access,Order no.\r\n"
        "v_1st_value,hr,40001,f32,0.5,%,r,x\r\n"
        "State,ir,30011,u16,,,\r\n"
        "State_2,co,00003,bool,,,rw,y\r\n");
  CHECK(map->points == 3);
  CHECK(map->numbering == "reference");
  const Lines notes{"'Signal' is taken for point",
                    "'Register type' is taken for area",
                    "'Register' is taken for address",
                    "'Data type' is taken for type",
                    "'Scale' is taken for scale",
                    "'UOM' is taken for unit",
                    "'R/W' is taken for access",
                    "addresses are references such as 40001",
                    "titles inside the table: lines 5",
                    "names: '1st value' is called v_1st_value, 'State' is called State_2",
                    "kept, without effect: 'Order no.'"};
  CHECK(map->notes == notes);
  const auto points = map_of(*map).points();
  REQUIRE(points.size() == 3);
  CHECK(points[0].address.offset.value == 0);
  CHECK(points[1].address.area == model::Area::input_register);
  CHECK(points[1].address.offset.value == 10);
}

TEST_CASE("what cannot be told is refused or asked, and nothing is written before") {
  const auto error = [](const std::string& name, const std::string& text,
                        const std::string& sheet = "") {
    const auto map = files::import_map(name, text, {sheet, {}, {}});
    REQUIRE_FALSE(map.has_value());
    return map.error().message;
  };
  CHECK(error("a.csv", "x,y\n1,2\n") ==
        "has no row of headings such as point, area, address, type: at least two have to be known");
  CHECK(error("a.csv", "name,unit,remark\na,1,x\n") ==
        "no heading is taken for address and type; there are 'name', 'unit', 'remark'. Rename "
        "those that are, or name them in a file for --headings");
  CHECK(error("a.csv", "name,address,type,area\n") == "has no row below its headings");
  CHECK(error("a.csv", "name,\"address\n").starts_with("line 1: "));
  CHECK(error("a.docx", "") ==
        "ends neither in .csv, .txt, .html, .xlsx, .ods nor .json; - reads what is piped in");
  CHECK(error("a.csv", "name,address,type\n", "s") ==
        "--sheet is for workbooks (.xlsx, .ods) and pages (.html)");
  CHECK(error("a.xlsx", "no archive") ==
        "is no workbook that can be read: no part xl/workbook.xml");
  CHECK(error("a.ods", "no archive") == "is no spreadsheet that can be read: no part content.xml");
  CHECK(error("a.html", "<p>no table</p>") == "has no table");
  CHECK(error("a.json", "{") == "is no Thing Description: an object with properties");
  CHECK(error("a.json", "{\"properties\":{}}") ==
        "has no property with a form of the Modbus binding");
  CHECK(error("a.json", R"({"properties":{"a":{"forms":[{"href":"http://x/1"}]}}})") ==
        "has no property with a form of the Modbus binding; left out: property 'a': its form is "
        "not of the Modbus "
        "binding");
  const auto odd =
      files::import_map("a.csv", "name,area,address,type,\"a;b;c;d;e;f;g\"\nx,hr,1,u16,9\n");
  REQUIRE(odd.has_value());
  CHECK(odd->csv == "point,area,address,type,a b c d e f g\r\nx,hr,1,u16,9\r\n");

  const auto asks = [](const std::string& text, const files::Readings& readings = {}) {
    const auto map = files::import_map("a.csv", text, {{}, readings, {}});
    REQUIRE(map.has_value());
    CHECK(map->csv.empty() == !map->questions.empty());
    Lines out;
    for (const auto& question : map->questions) {
      out.push_back(question.about + ": " + question.text);
      for (const std::string& sample : question.samples) out.push_back("  " + sample);
    }
    return out;
  };
  CHECK(asks("name,address,remark\na,1,x\n") ==
        Lines{"area: nothing says what holds these: coils, discrete inputs, input or holding "
              "registers",
              "  line 2: a  1"});
  CHECK(asks("name,address,area\na,1,hr\n") ==
        Lines{"type: nothing says of which type these are", "  line 2: a  1"});
  CHECK(asks("name,address,area\na,1,hr\n", {{"type", "i32"}}).empty());
  CHECK(asks("name,area,address,type,scale\na,hr,1,u16,10\n") ==
        Lines{"scale: 'scale' may multiply or divide: 10 makes 215 to 2150, or to 21.5",
              "  line 2: a  10"});
  CHECK(asks("name,area,address,type\na,hr,0048,f32\nb,hr,0050,u16\n").size() == 0);
  CHECK(asks("name,area,address,type\na,hr,0048,f32\nb,hr,0058,u16\n") ==
        Lines{"addresses: addresses may be decimal or hexadecimal: no letter and no gap tells",
              "  line 2: a  0048: decimal 48, hexadecimal 72",
              "  line 3: b  0058: decimal 58, hexadecimal 88"});
  CHECK(asks("name,area,address,type\na,hr,0,INT\nb,hr,2,INT\nc,hr,4,INT\n")
            .front()
            .starts_with("int: 'INT' may be a number of 16 or of 32 bits"));
  CHECK(asks("name,area,address,type\na,hr,0,INT\nb,hr,1,INT\nc,hr,4,INT\n").empty());
  CHECK(asks("name,area,address,type,order\na,hr,1,f32,little endian\n").front() ==
        "word_order: this may be one of two orders");
  CHECK(asks("name,area,address,type\na,hr,40001,u16\nb,hr,5,u16\n").front() ==
        "numbering: some addresses look like references such as 40001, others do not");
}

TEST_CASE("rows that are no points are named with what is wrong, and no register is guessed") {
  const auto left_out = [](const std::string& rows) {
    const auto map = files::import_map(
        "a.csv", "name,area,address,type,factor,length,access\ngood,hr,9,u16,,,r\n" + rows);
    REQUIRE(map.has_value());
    CHECK(map->points == 1);
    return map->left_out;
  };
  CHECK(left_out("a,hr,x9y,u16\n") == Lines{"line 3: a: address 'x9y' is not understood"});
  CHECK(left_out("a,hr,1.00E+10,u16\n") ==
        Lines{"line 3: a: address '1.00E+10' is not understood"});
  CHECK(left_out("a,hr,5,banana\n") == Lines{"line 3: a: type 'banana' is not understood"});
  CHECK(left_out("a,shelf,5,u16\n") == Lines{"line 3: a: area 'shelf' is not understood"});
  CHECK(left_out("a,hr,5,u16,\"3,600\"\n") == Lines{"line 3: a: scale '3,600' is not understood"});
  CHECK(left_out("a,hr,5,u16,0\n") == Lines{"line 3: a: '0' makes every value the same"});
  CHECK(left_out("a,hr,70000,u16\n") == Lines{"line 3: a: address '70000' is no register"});
  CHECK(left_out("a,hr,65535,f32\n") == Lines{"line 3: a: address '65535' is no register"});
  CHECK(left_out("a,hr,5-7,f32\n") ==
        Lines{"line 3: a: its length is 3 registers, and f32 takes 2"});
  CHECK(left_out("a,hr,5,f32,,1 register,\n") ==
        Lines{"line 3: a: its length is 1 register, and f32 takes 2"});
  CHECK(left_out("a,ir,5,u16,,,W\n") ==
        Lines{"line 3: a: access 'W': an input register can only be read"});
  CHECK(left_out("a,hr,5,u16,,,maybe\n") == Lines{"line 3: a: access 'maybe' is not understood"});
  CHECK(left_out("a,hr,5,u16,,,R,extra\n") ==
        Lines{"line 3: a: it has 8 cells, and there are 7 headings: a cell may hold what separates "
              "cells"});
}

TEST_CASE("more headings come from a file, and a bad one is told") {
  const std::string table = "Messstelle,Ort,Art\nDruck,40001,UINT\n";
  CHECK_FALSE(files::import_map("a.csv", table).has_value());
  const auto map =
      files::import_map("a.csv", table, {{}, {}, "Messstelle,point\nOrt,address\nArt,type\n"});
  REQUIRE(map.has_value());
  CHECK(map->csv == "point,area,address,type\r\nDruck,hr,40001,u16\r\n");
  const auto bad = files::import_map("a.csv", table, {{}, {}, "Ort,place\n"});
  CHECK(bad.error().message.starts_with("more headings: line 1: 'place' is no column"));
}

TEST_CASE("what is taken for granted is said to be") {
  const auto assumed = [](const std::string& text) {
    const auto map = files::import_map("a.csv", text);
    REQUIRE(map.has_value());
    Lines out;
    for (const auto& each : map->assumed) out.push_back(each.key + "|" + each.text);
    return out;
  };
  CHECK(assumed("name,area,address,type,access\na,hr,0,u16,r\n").empty());
  CHECK(assumed("name,area,address,type,access\na,hr,1,u16,r\n") ==
        Lines{"numbering|addresses count from 0 (the lowest is 1): does the manual count from 1?"});
  CHECK(assumed("name,area,address,type\na,hr,0,u16\n") ==
        Lines{"|1 points may be written: nothing says that they are only read"});
  CHECK(assumed("name,area,address,length,access\na,hr,0,1,r\n") ==
        Lines{"|numbers without a sign (a length alone): nothing says that they have one"});
  const auto map = files::import_map("a.csv", "name,area,address (1-based),type\na,hr,1,u16\n");
  CHECK(map->numbering == "from-1");
}

TEST_CASE("a sheet of a workbook is read like a CSV file") {
  const std::string rows =
      "<row r=\"1\">" + text_cell("A1", "Kiln gauge, 2024") + "</row>" +
      R"(<row r="3"><c r="A3" t="s"><v>0</v></c><c r="B3" t="s"><v>1</v></c>)" +
      text_cell("D3", "type") + text_cell("E3", "area") + text_cell("F3", "scale") + "</row>" +
      "<row r=\"4\">" + text_cell("A4", "moisture") + R"(<c r="B4"><v>12</v></c>)" +
      text_cell("D4", "f32") + text_cell("E4", "hr") +
      R"(<c r="F4"><v>0.10000000000000001</v></c></row>)";
  const auto map = files::import_map("gauge.XLSX", workbook(rows));
  REQUIRE(map.has_value());
  CHECK(map->csv == "point,area,address,type,factor\r\nmoisture,hr,12,f32,0.1\r\n");
  CHECK(map->notes == Lines{"sheet 'Registers' is read",
                            "the 2 rows above the headings are left out",
                            "'Signal' is taken for point", "'Register' is taken for address",
                            "'scale' is taken for scale"});
  const auto sheet = [&](const std::string& name) {
    return files::import_map("g.xlsx", workbook(rows), {name, {}, {}});
  };
  CHECK(sheet("Registers").has_value());
  CHECK(sheet("Nothing").error().message ==
        "has no sheet 'Nothing' with known headings; there are Cover, Registers");
  CHECK(
      files::import_map("g.xlsx", workbook("")).error().message ==
      "has no sheet with headings such as point, area, address, type; there are Cover, Registers");
  CHECK(files::import_map("g.xlsx", workbook(R"(<row r="4000000000"><c r="A1"><v>1</v></c></row>)"))
            .error()
            .message ==
        "is no workbook that can be read: up to sheet Registers it has more than 65536 rows, "
        "1000000 cells or 32 MB of text");
}

TEST_CASE("a sheet of an OpenDocument spreadsheet is read, and repeated cells do not swell") {
  const auto ods = [](const std::string& rows) {
    return zipped({{"content.xml",
                    "<office:document-content><office:body><office:spreadsheet><table:table "
                    "table:name=\"List\">" +
                        rows +
                        "</table:table></office:spreadsheet></office:body></office:"
                        "document-content>"}});
  };
  const auto cell = [](const std::string& text) {
    return "<table:table-cell office:value-type=\"string\"><text:p>" + text +
           "</text:p></table:table-cell>";
  };
  const auto row = [](const std::string& cells) {
    return "<table:table-row>" + cells + "</table:table-row>";
  };
  const std::string table =
      row(cell("Name") + cell("Register") + cell("Type") + cell("Factor")) +
      "<table:table-row table:number-rows-repeated=\"3\"><table:table-cell "
      "table:number-columns-repeated=\"1024\"/></table:table-row>" +
      row(cell("flow") + cell("40001") + cell("REAL") +
          "<table:table-cell office:value-type=\"float\" office:value=\"0.1\"><text:p>0,10</text:p>"
          "</table:table-cell><table:table-cell table:number-columns-repeated=\"16000\"/>") +
      "<table:table-row table:number-rows-repeated=\"1048570\"><table:table-cell "
      "table:number-columns-repeated=\"1024\"/></table:table-row>";
  const auto map = files::import_map("a.ods", ods(table));
  REQUIRE(map.has_value());
  CHECK(map->csv == "point,area,address,type,factor\r\nflow,hr,40001,f32,0.1\r\n");
  const auto bomb = files::import_map(
      "a.ods",
      ods("<table:table-row table:number-rows-repeated=\"1048576\">" +
          std::string("<table:table-cell table:number-columns-repeated=\"16384\" "
                      "office:value-type=\"string\"><text:p>x</text:p></table:table-cell>") +
          "</table:table-row>"));
  CHECK(bomb.error().message ==
        "up to sheet List it has more than 262144 rows, 1000000 cells or 32 MB of text");
  const std::string good = ods(table);
  for (std::size_t end = 0; end < good.size(); end += 5) {
    (void)files::import_map("a.ods", good.substr(0, end));
  }
}

TEST_CASE("a hostile page is read as far as it goes, and never too deep") {
  const auto repeated = [](const std::string& text, std::size_t times) {
    std::string out;
    for (std::size_t i = 0; i < times; ++i) out += text;
    return out;
  };
  for (const char* tag : {"<div>", "<b>", "<table><tr><td>", "<ul><li>", "<svg>", "<font>"}) {
    INFO(tag);
    CHECK(files::import_map("a.html", repeated(tag, 20'000)).error().message ==
          "has elements inside of each other, too deep");
  }
  // cells that span without end come to an end
  const auto wide = files::import_map(
      "a.html", "<table>" + repeated("<tr><td colspan=99999 rowspan=99999>x", 5'000) + "</table>");
  CHECK(wide.error().message == "has more than 65536 rows or 1000000 cells in its tables");
  for (const std::string& text : {repeated("<tr><td>", 5'000), repeated("<p>", 5'000),
                                  repeated("</table>", 5'000), repeated("&", 10'000), "<"s}) {
    CHECK_FALSE(files::import_map("a.html", text).has_value());
  }
}

TEST_CASE("a column of addresses is decimal or hexadecimal as a whole, by what tells") {
  // "type address" rows -> the addresses of the map, or what is asked
  const auto read = [](const std::string& rows) {
    const auto map = files::import_map("a.csv", "name,area,type,address\n" + rows);
    REQUIRE(map.has_value());
    if (!map->questions.empty()) return "asks " + map->questions.front().about;
    std::string out;
    const model::RegisterMap made = map_of(*map);
    for (const auto& point : made.points()) {
      out += (out.empty() ? "" : " ") + std::to_string(point.address.offset.value);
    }
    return out;
  };
  CHECK(read("a,hr,u16,8\nb,hr,u16,10\n") == "8 10");
  // a letter in one cell tells of all
  CHECK(read("a,hr,u16,000A\nb,hr,u16,0048\n") == "10 72");
  // two REALs side by side over a ten
  CHECK(read("a,hr,f32,0008\nb,hr,f32,0010\n") == "8 10");
  // an LREAL takes four: as decimal numbers the next one would lie inside of it
  CHECK(read("a,hr,f64,0008\nb,hr,f32,0010\n") == "8 16");
  // one pair says this, another that
  CHECK(read("a,hr,f32,0008\nb,hr,f64,0010\nc,hr,f64,0018\nd,hr,f32,0020\n") == "asks addresses");
  CHECK(read("a,hr,f64,8\nb,hr,f32,10\n") == "asks addresses");
  // ranges are counted in what the column is
  CHECK(read("a,hr,STRING,0008-0010\nb,hr,u16,00FF\n") == "8 255");
  // marked ones say what they are, each by itself
  CHECK(read("a,hr,u16,0x10\nb,hr,u16,12\n") == "16 12");
  // two bits or registers in one cell are a list, a figure behind a comma may be anything
  const auto map = files::import_map(
      "a.csv", "name;area;type;address\ngood;hr;u16;1\na;hr;u32;\"10/11\"\nb;hr;bool;\"12,3\"\n");
  REQUIRE(map.has_value());
  CHECK(map->points == 2);
  CHECK(map->left_out == Lines{"line 4: b: address '12,3' is not understood"});
}

TEST_CASE("an end of a range that may be thousands is not taken over, and named") {
  const auto map = files::import_map(
      "a.csv", "name,area,address,type,min,max\na,hr,0,u16,0,6.000\nb,hr,1,u16,0.125,65.5\n");
  REQUIRE(map.has_value());
  CHECK(map->csv ==
        "point,area,address,type,min,max\r\na,hr,0,u16,0,\r\nb,hr,1,u16,0.125,65.5\r\n");
  CHECK(map->notes.back() == "not taken over, as it may mean several things: line 2: max '6.000'");
}

TEST_CASE("a bit that a spreadsheet has cut is left out, and named") {
  const auto map = files::import_map(
      "a.csv", "name,address,type\nrun,40012.1,BOOL\ndoor,40012.1,BOOL\nlamp,40012.2,BOOL\n");
  REQUIRE(map.has_value());
  CHECK(map->points == 2);
  CHECK(map->left_out == Lines{"line 3: door: 40012.1 is that of line 2 already; a spreadsheet "
                               "makes it of 40012.10"});
}

TEST_CASE("scales in the ways that tables write them, and columns that may scale are asked about") {
  const auto factor = [](const std::string& column, const std::string& cell) {
    const auto map = files::import_map(
        "a.csv", "name;area;address;type;" + column + "\na;hr;0;u16;" + cell + "\n");
    REQUIRE(map.has_value());
    if (!map->questions.empty()) return "asks " + map->questions.front().about;
    if (map->points == 0) return std::string("left out");
    return fmt::format("{}", map_of(*map).points().front().factor);
  };
  for (const char* tenth : {"0.1", "0,1", "1/10", "/10", ":10", "x0.1", "*0.1", "10^-1", "1E-1",
                            "0.1 A/digit", "0,1 kW", "= 0.1"}) {
    INFO(tenth);
    CHECK(factor("Scaling", tenth) == "0.1");
  }
  CHECK(factor("Divisor", "10") == "0.1");
  CHECK(factor("Resolution", "10") == "10");
  CHECK(factor("Scaling", "10") == "asks scale");
  CHECK(factor("Scaling", "-2") == "asks scale");
  // in a map of ours it multiplies
  const auto ours = files::import_map("a.csv", "point,area,address,type,factor\na,hr,0,u16,10\n");
  CHECK(map_of(*ours).points().front().factor == 10);
  const auto asks = [](const std::string& cells) {
    const auto map = files::import_map("a.csv", "name;area;address;type;Zeta\n" + cells);
    REQUIRE(map.has_value());
    return !map->questions.empty() && map->questions.front().about == "columns";
  };
  CHECK(asks("a;hr;0;u16;0.1\nb;hr;1;u16;1\n"));
  CHECK(asks("a;hr;0;u16;0..500\nb;hr;1;u16;0,1 A\n"));
  CHECK_FALSE(asks("a;hr;0;u16;1\nb;hr;1;u16;1\n"));
  CHECK_FALSE(asks("a;hr;0;u16;7\nb;hr;1;u16;10\n"));
  CHECK_FALSE(asks("a;hr;0;u16;red\nb;hr;1;u16;green\n"));
}

TEST_CASE("what is piped in is told by what it is") {
  const std::string csv = "name,address,type\nx,40001,REAL\n";
  const std::string wanted = "point,area,address,type\r\nx,hr,40001,f32\r\n";
  for (const std::string& text :
       {csv, "name    address  type\nx       40001    REAL\n"s,
        "| name | address | type |\n|--|--|--|\n| x | 40001 | REAL |\n"s,
        "<table><tr><th>name<th>address<th>type<tr><td>x<td>40001<td>REAL</table>"s}) {
    INFO(text);
    const auto map = files::import_map("-", text);
    REQUIRE(map.has_value());
    CHECK(map->csv == wanted);
  }
}

TEST_CASE("one text in many cells is counted as often as it stands there") {
  const std::string shared(200'000, 'x');
  std::string rows;
  for (int i = 1; i <= 1000; ++i) {
    rows += fmt::format(R"(<row r="{0}"><c r="A{0}" t="s"><v>0</v></c></row>)", i);
  }
  const std::string file = workbook(rows, "", shared);
  CHECK(file.size() < 100'000);
  CHECK(files::import_map("g.xlsx", file).error().message ==
        "is no workbook that can be read: up to sheet Registers it has more than 65536 rows, "
        "1000000 cells or 32 MB of text");
}

TEST_CASE("characters that XML cannot hold come out of their escapes") {
  const std::string rows = "<row r=\"1\">" + text_cell("A1", "point") + text_cell("B1", "area") +
                           text_cell("C1", "address") + text_cell("D1", "type") +
                           text_cell("E1", "note") + "</row><row r=\"2\">" + text_cell("A2", "a") +
                           text_cell("B2", "hr") + text_cell("C2", "1") + text_cell("D2", "u16") +
                           text_cell("E2", "two_x000A_lines, _x005F_x000A_ and _x00ZZ_") + "</row>";
  const auto map = files::import_map("g.xlsx", workbook(rows));
  REQUIRE(map.has_value());
  CHECK(map->csv.find("\"two\nlines, _x000A_ and _x00ZZ_\"") != std::string::npos);
}

TEST_CASE("any bytes are survived as a workbook, and any cut of one") {
  const std::string good =
      workbook("<row r=\"1\">" + text_cell("A1", "point") + text_cell("B1", "address") + "</row>");
  for (std::size_t end = 0; end < good.size(); end += 7) {
    (void)files::import_map("a.xlsx", good.substr(0, end));
  }
  for (std::size_t at = 0; at < good.size(); ++at) {
    std::string changed = good;
    changed[at] = static_cast<char>(changed[at] ^ 0x41);
    (void)files::import_map("a.xlsx", changed);
  }
}

TEST_CASE("a new slave stands behind a plan of which every byte stays") {
  files::NewSlave slave;
  slave.name = "gauge";
  slave.line = "north";
  slave.unit = 9;
  slave.map = "maps/gauge.csv";
  for (const std::string plan :
       {"", "[plan]\n", "[plan]\ntitle = \"x\"", "[plan]\r\ntitle = \"x\"\r\n", "# only this"}) {
    const std::string after = files::with_new_slave(plan, slave);
    CHECK(after.starts_with(plan));
    const bool crlf = plan.find("\r\n") != std::string::npos;
    CHECK((after.substr(plan.size()).find("\r\n") != std::string::npos) == crlf);
    CHECK(after.find("[slave.gauge]") != std::string::npos);
  }
  slave.name = "x\"]\n[y";
  CHECK(files::new_slave_text(slave).starts_with("[slave.\"x\\\"]\\u000A[y\"]\n"));
}
