// Register maps from what device makers give: CSV in its dialects, text pasted from a page, sheets
// of workbooks (XLSX, ODS), tables of HTML pages, a W3C Thing Description. Whatever is not as our
// maps have it is brought into their form, and said. Nothing is guessed where a register would be:
// what may mean several things is asked, and what is taken for granted is said to be.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <tl/expected.hpp>
#include <vector>

#include "files/file_source.h"
#include "files/workbook.h"

namespace greymet::files {

// What a Thing Description knows of the device itself.
struct ImportedEndpoint {
  std::string host;
  std::int64_t port = 502;
  std::optional<std::int64_t> unit;
};

// Answers to questions, by what they are about: "addresses" -> "hex".
using Readings = std::map<std::string, std::string, std::less<>>;
// The answers that there are to it; empty where nobody asks this.
[[nodiscard]] std::vector<std::string_view> answers_to(std::string_view about);
// Everything that may be asked.
[[nodiscard]] std::vector<std::string_view> all_questions();

// Something that only a person can tell.
struct ImportQuestion {
  std::string about;                 // key of its answer
  std::string text;                  // one line
  std::vector<std::string> samples;  // rows, each with what it may mean
  friend bool operator==(const ImportQuestion&, const ImportQuestion&) = default;
};

// Something that is taken for granted, as nothing tells.
struct ImportAssumption {
  std::string key;   // of a slave, where one says it: "numbering"; else empty
  std::string text;  // one line
  friend bool operator==(const ImportAssumption&, const ImportAssumption&) = default;
};

// A map in our form, and what had to be guessed for it.
struct ImportedMap {
  std::string csv;  // as docs/register-maps.md has it; empty while something is asked
  std::vector<std::string> notes;     // one line each: what was taken for what, what was left out
  std::vector<std::string> left_out;  // rows that are no points of the map, and why
  std::vector<ImportQuestion> questions;  // to be answered before there is a map
  std::vector<ImportAssumption> assumed;
  std::optional<std::string> numbering;  // "reference", "from-0", "from-1", where something tells
  std::optional<ImportedEndpoint> endpoint;
  std::size_t points = 0;
};

// How to read a file.
struct ImportOptions {
  std::string sheet;  // of a workbook, or "table 2" of a page; else the first with headings
  Readings readings;
  std::string headings;  // more headings: lines of HEADING,COLUMN
};

// `name` is that of the file, and its ending decides how it is read; "-" and unknown endings by
// what stands in it. The error is ready to be shown behind the file's name.
[[nodiscard]] tl::expected<ImportedMap, FileError> import_map(std::string_view name,
                                                              const std::string& content,
                                                              const ImportOptions& options = {});

}  // namespace greymet::files
