// The pages for handover: a report of everything, and a sheet for commissioning. Each is one file
// that needs nothing from a network, for the screen and for A4, in light and dark.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "exports/exports.h"

namespace greymet::exports {

// A figure, and where it belongs.
enum class FigurePlace : std::uint8_t { lines, silence, heartbeats, paths, memory };
struct ReportFigure {
  FigurePlace place = FigurePlace::lines;
  std::string caption;
  std::string svg;  // a whole document
};

// What a rehearsal or run has measured, as its JSON document has it.
struct Measured {
  std::string file;      // where it was read
  std::string document;  // rehearse.json or run.json
};

// What the pages are made of. Refers to what its maker keeps.
struct ReportInput {
  const ExportInput& exchange;  // its timing is the whole report, not analyse_longest
  std::string plan_file;        // as the user gave it
  std::vector<ReportFigure> figures;
  std::map<FigurePlace, std::size_t> figures_left_out;  // how many things have no picture
  std::optional<Measured> measured;
};

// report.html; a document that is none of ours is said to be so, in the page.
[[nodiscard]] std::string report_page(const ReportInput& input);
// commissioning.html: what to set, download, change, look at and unplug, in the order of the work,
// with columns to sign.
[[nodiscard]] std::string commissioning_page(const ReportInput& input);

}  // namespace greymet::exports
