// A map from elsewhere from bytes, as CSV, as a Thing Description and as a workbook: what comes out
// is a map in our form with as many rows as are said, or one line that says why not. Measurements
// and exchanges come back as JSON, too.
#include "exports/exchange_diff.h"
#include "files/csv_reader.h"
#include "files/map_import.h"
#include "files/measured_reader.h"
#include "input.h"

using namespace greymet;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text = fuzz::text_of(data, size);
  for (const char* name : {"a.csv", "a.json", "a.xlsx", "a.ods", "a.html", "-"}) {
    const auto map = files::import_map(name, text);
    if (!map) {
      fuzz::require(!map.error().message.empty());
      continue;
    }
    if (!map->questions.empty()) {
      // nothing is written before they are answered
      fuzz::require(map->csv.empty() && map->points == 0);
      continue;
    }
    const auto table = files::read_csv(map->csv, 0);
    fuzz::require(table && table->rows.size() == map->points);
  }
  // what came back from site
  const auto changes = exports::exchange_changes(text, text);
  fuzz::require(!changes || changes->empty());
  // what run and rehearse wrote
  const auto measured = files::read_measured(text);
  fuzz::require(measured ? !measured->empty() : !measured.error().empty());
  return 0;
}
