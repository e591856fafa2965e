// Maps from what device makers give.
#include "files/map_import.h"

#include <fmt/format.h>
#include <zip.h>

#include <catch2/catch.hpp>

#include "files/map_reader.h"
#include "files/new_plan.h"
#include "plans.h"

using namespace greymet;
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
                        "Signal;Register type;Register;Data type;Scale;UOM;R/W;Remark\n"
                        "1st value;Holding Register;40001;REAL;0,5;%;RO;x\n"
                        "State;Input register;30011;UINT;;;;\n"
                        ";;;;;;;\n"
                        "Section two;;;;;;;\n"
                        "State;Coils;00003;BOOL;;;R/W;y\n",
                        "");
  REQUIRE(map.has_value());
  CHECK(map->csv ==
        "point,area,address,type,factor,unit,access,Remark\r\n"
        "v_1st_value,Holding Register,40001,f32,0.5,%,r,x\r\n"
        "State,Input register,30011,u16,,,\r\n"
        "State_2,co,00003,BOOL,,,rw,y\r\n");
  CHECK(map->points == 3);
  CHECK(map->numbering == "reference");
  const Lines notes{"'Signal' is taken for point",
                    "'Register type' is taken for area",
                    "'Register' is taken for address",
                    "'Data type' is taken for type",
                    "'Scale' is taken for factor",
                    "'UOM' is taken for unit",
                    "'R/W' is taken for access",
                    "addresses are references such as 40001",
                    "access 'R/W' is written as rw",
                    "access 'RO' is written as r",
                    "area 'Coils' is written as co",
                    "factor '0,5' is written as 0.5",
                    "point '1st value' is called v_1st_value",
                    "point 'State' is called State_2",
                    "type 'REAL' is written as f32",
                    "type 'UINT' is written as u16",
                    "left out, as they have neither address nor type: rows 4"};
  CHECK(map->notes == notes);
  const auto points = map_of(*map).points();
  REQUIRE(points.size() == 3);
  CHECK(points[0].address.offset.value == 0);
  CHECK(points[1].address.area == model::Area::input_register);
  CHECK(points[1].address.offset.value == 10);
}

TEST_CASE("what cannot be told is refused, and what is doubtful is left as it is") {
  const auto error = [](const std::string& name, const std::string& text,
                        const std::string& sheet = "") {
    const auto map = files::import_map(name, text, sheet);
    REQUIRE_FALSE(map.has_value());
    return map.error().message;
  };
  CHECK(error("a.csv", "x,y\n1,2\n") ==
        "has no row of headings such as point, area, address, type: at least two have to be known");
  CHECK(
      error("a.csv", "name,address,remark\na,1,x\n") ==
      "no heading is taken for 'type'; there are 'name', 'address', 'remark'. Name one of them so");
  CHECK(error("a.csv", "name,address,type\na,1,u16\n") ==
        "no heading is taken for 'area', and address '1' in row 2 does not say it either: add a "
        "column area "
        "with co, di, ir or hr");
  CHECK(error("a.csv", "name,address,type,area\n") == "has no row below its headings");
  CHECK(error("a.csv", "name,\"address\n").starts_with("line 1: "));
  CHECK(error("a.docx", "") == "ends neither in .csv, .xlsx nor .json");
  CHECK(error("a.csv", "name,address,type\n", "s") == "--sheet is for workbooks (.xlsx)");
  CHECK(error("a.xlsx", "no archive") ==
        "is no workbook that can be read: no part xl/workbook.xml");
  CHECK(error("a.json", "{") == "is no Thing Description: an object with properties");
  CHECK(error("a.json", "{\"properties\":{}}") ==
        "has no property with a form of the Modbus binding");
  CHECK(error("a.json", R"({"properties":{"a":{"forms":[{"href":"http://x/1"}]}}})") ==
        "has no property with a form of the Modbus binding; left out: property 'a': its form is "
        "not of the Modbus "
        "binding");
  const auto odd =
      files::import_map("a.csv", "name,area,address,type,\"a;b;c;d;e;f;g\"\nx,hr,1,u16,9\n", "");
  REQUIRE(odd.has_value());
  CHECK(odd->csv == "point,area,address,type,a b c d e f g\r\nx,hr,1,u16,9\r\n");
  const auto doubtful =
      files::import_map("a.csv", "name,area,address,type,factor\na,hr,1,INT,\"3,600\"\n", "");
  REQUIRE(doubtful.has_value());
  CHECK(doubtful->csv == "point,area,address,type,factor\r\na,hr,1,INT,\"3,600\"\r\n");
  CHECK(doubtful->notes == Lines{"'name' is taken for point",
                                 "left as it is, as it may mean several things: factor '3,600'",
                                 "left as it is, as it may mean several things: type 'INT'"});
}

TEST_CASE("a sheet of a workbook is read like a CSV file") {
  const std::string rows =
      "<row r=\"1\">" + text_cell("A1", "Kiln gauge, 2024") + "</row>" +
      R"(<row r="3"><c r="A3" t="s"><v>0</v></c><c r="B3" t="s"><v>1</v></c>)" +
      text_cell("D3", "type") + text_cell("E3", "area") + text_cell("F3", "scale") + "</row>" +
      "<row r=\"4\">" + text_cell("A4", "moisture") + R"(<c r="B4"><v>12</v></c>)" +
      text_cell("D4", "f32") + text_cell("E4", "hr") +
      R"(<c r="F4"><v>0.10000000000000001</v></c></row>)";
  const auto map = files::import_map("gauge.XLSX", workbook(rows), "");
  REQUIRE(map.has_value());
  CHECK(map->csv == "point,area,address,type,factor\r\nmoisture,hr,12,f32,0.1\r\n");
  CHECK(map->notes == Lines{"sheet 'Registers' is read",
                            "the 2 rows above the headings are left out",
                            "'Signal' is taken for point", "'Register' is taken for address",
                            "'scale' is taken for factor"});
  CHECK(files::import_map("g.xlsx", workbook(rows), "Registers").has_value());
  CHECK(files::import_map("g.xlsx", workbook(rows), "Nothing").error().message ==
        "has no sheet 'Nothing'; there are Cover, Registers");
  CHECK(
      files::import_map("g.xlsx", workbook(""), "").error().message ==
      "has no sheet with headings such as point, area, address, type; there are Cover, Registers");
  CHECK(files::import_map("g.xlsx", workbook(R"(<row r="4000000000"><c r="A1"><v>1</v></c></row>)"),
                          "")
            .error()
            .message ==
        "is no workbook that can be read: up to sheet Registers it has more than 65536 rows, "
        "1000000 cells or 32 MB of text");
}

TEST_CASE("one text in many cells is counted as often as it stands there") {
  const std::string shared(200'000, 'x');
  std::string rows;
  for (int i = 1; i <= 1000; ++i) {
    rows += fmt::format(R"(<row r="{0}"><c r="A{0}" t="s"><v>0</v></c></row>)", i);
  }
  const std::string file = workbook(rows, "", shared);
  CHECK(file.size() < 100'000);
  CHECK(files::import_map("g.xlsx", file, "").error().message ==
        "is no workbook that can be read: up to sheet Registers it has more than 65536 rows, "
        "1000000 cells or 32 MB of text");
}

TEST_CASE("characters that XML cannot hold come out of their escapes") {
  const std::string rows = "<row r=\"1\">" + text_cell("A1", "point") + text_cell("B1", "area") +
                           text_cell("C1", "address") + text_cell("D1", "type") +
                           text_cell("E1", "note") + "</row><row r=\"2\">" + text_cell("A2", "a") +
                           text_cell("B2", "hr") + text_cell("C2", "1") + text_cell("D2", "u16") +
                           text_cell("E2", "two_x000A_lines, _x005F_x000A_ and _x00ZZ_") + "</row>";
  const auto map = files::import_map("g.xlsx", workbook(rows), "");
  REQUIRE(map.has_value());
  CHECK(map->csv.find("\"two\nlines, _x000A_ and _x00ZZ_\"") != std::string::npos);
}

TEST_CASE("any bytes are survived as a workbook, and any cut of one") {
  const std::string good =
      workbook("<row r=\"1\">" + text_cell("A1", "point") + text_cell("B1", "address") + "</row>");
  for (std::size_t end = 0; end < good.size(); end += 7) {
    (void)files::import_map("a.xlsx", good.substr(0, end), "");
  }
  for (std::size_t at = 0; at < good.size(); ++at) {
    std::string changed = good;
    changed[at] = static_cast<char>(changed[at] ^ 0x41);
    (void)files::import_map("a.xlsx", changed, "");
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
