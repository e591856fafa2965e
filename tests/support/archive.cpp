#include "archive.h"

#include <fmt/format.h>

#include <zip.h>
#include <catch2/catch.hpp>
#include <pugixml.hpp>

namespace greymet::test {

std::map<std::string, std::string> unzipped(const std::string& archive) {
  zip_error_t error;
  zip_error_init(&error);
  zip_source_t* source = zip_source_buffer_create(archive.data(), archive.size(), 0, &error);
  zip_t* zip = zip_open_from_source(source, ZIP_RDONLY, &error);
  REQUIRE(zip != nullptr);
  std::map<std::string, std::string> out;
  for (zip_int64_t i = 0; i < zip_get_num_entries(zip, 0); ++i) {
    zip_stat_t about;
    zip_stat_index(zip, static_cast<zip_uint64_t>(i), 0, &about);
    std::string content(about.size, '\0');
    zip_file_t* file = zip_fopen_index(zip, static_cast<zip_uint64_t>(i), 0);
    zip_fread(file, content.data(), content.size());
    zip_fclose(file);
    out[about.name] = content;
  }
  zip_discard(zip);
  return out;
}

std::string zipped(const std::map<std::string, std::string>& members) {
  zip_error_t error;
  zip_error_init(&error);
  zip_source_t* source = zip_source_buffer_create(nullptr, 0, 0, &error);
  zip_source_keep(source);
  zip_t* zip = zip_open_from_source(source, ZIP_CREATE | ZIP_TRUNCATE, &error);
  REQUIRE(zip != nullptr);
  for (const auto& [name, content] : members) {
    zip_source_t* member = zip_source_buffer(zip, content.data(), content.size(), 0);
    REQUIRE(zip_file_add(zip, name.c_str(), member, ZIP_FL_ENC_UTF_8) >= 0);
  }
  REQUIRE(zip_close(zip) == 0);
  REQUIRE(zip_source_open(source) == 0);
  zip_source_seek(source, 0, SEEK_END);
  std::string out(static_cast<std::size_t>(zip_source_tell(source)), '\0');
  zip_source_seek(source, 0, SEEK_SET);
  REQUIRE(zip_source_read(source, out.data(), out.size()) == static_cast<zip_int64_t>(out.size()));
  zip_source_close(source);
  zip_source_free(source);
  return out;
}

namespace {

std::string text_of(const pugi::xml_node& node) {
  std::string out;
  for (const pugi::xml_node part : node.children()) {
    out += part.name() == std::string("t") ? part.text().get() : text_of(part);
  }
  return out;
}

// "AB12" -> 27
std::size_t column_of(const std::string& reference) {
  std::size_t column = 0;
  for (const char c : reference) {
    if (c < 'A' || c > 'Z') break;
    column = column * 26 + static_cast<std::size_t>(c - 'A') + 1;
  }
  return column - 1;
}

}  // namespace

std::vector<std::vector<std::vector<std::string>>> sheets_of(const std::string& workbook) {
  const auto parts = unzipped(workbook);
  std::vector<std::string> texts;
  pugi::xml_document shared;
  const auto strings = parts.find("xl/sharedStrings.xml");
  if (strings != parts.end()) {
    REQUIRE(
        shared.load_string(strings->second.c_str(), pugi::parse_default | pugi::parse_ws_pcdata));
    for (const pugi::xml_node si : shared.child("sst").children("si")) texts.push_back(text_of(si));
  }
  std::vector<std::vector<std::vector<std::string>>> out;
  for (int number = 1;; ++number) {
    const auto part = parts.find("xl/worksheets/sheet" + std::to_string(number) + ".xml");
    if (part == parts.end()) return out;
    pugi::xml_document sheet;
    REQUIRE(sheet.load_string(part->second.c_str()));
    std::vector<std::vector<std::string>> rows;
    for (const pugi::xml_node row : sheet.child("worksheet").child("sheetData").children("row")) {
      rows.resize(row.attribute("r").as_uint());
      for (const pugi::xml_node cell : row.children("c")) {
        const std::size_t column = column_of(cell.attribute("r").value());
        const std::string value = cell.child("v").text().get();
        rows.back().resize(std::max(rows.back().size(), column + 1));
        rows.back()[column] =
            cell.attribute("t").value() == std::string("s") ? texts.at(std::stoul(value)) : value;
      }
    }
    out.push_back(std::move(rows));
  }
}

std::string workbook_of(const std::vector<std::vector<std::string>>& rows) {
  std::string cells;
  for (std::size_t r = 0; r < rows.size(); ++r) {
    cells += fmt::format("<row r=\"{}\">", r + 1);
    for (std::size_t c = 0; c < rows[r].size(); ++c) {
      cells += fmt::format("<c r=\"{}{}\" t=\"inlineStr\"><is><t>{}</t></is></c>",
                           static_cast<char>('A' + c), r + 1, rows[r][c]);
    }
    cells += "</row>";
  }
  return zipped(
      {{"xl/workbook.xml",
        R"(<workbook xmlns:r="r"><sheets><sheet name="Vars" sheetId="1" r:id="rId1"/></sheets></workbook>)"},
       {"xl/_rels/workbook.xml.rels",
        R"(<Relationships><Relationship Id="rId1" Type="x/worksheet" Target="worksheets/sheet1.xml"/></Relationships>)"},
       {"xl/worksheets/sheet1.xml",
        "<worksheet><sheetData>" + cells + "</sheetData></worksheet>"}});
}

}  // namespace greymet::test
