#include "measured_run.h"

#include <fmt/format.h>

#include "engine/measures.h"
#include "files/table_json.h"
#include "html.h"
#include "tables/measured_tables.h"

namespace greymet::exports {

using MeasuredJson = nlohmann::ordered_json;

namespace {

// Verdicts of run and rehearse; what is not known is not well.
bool is_well(std::string_view verdict) {
  using engine::MeasuredVerdict;
  return verdict == to_string(MeasuredVerdict::good) ||
         verdict == to_string(MeasuredVerdict::not_run) ||
         verdict == to_string(MeasuredVerdict::left_out);
}

// Colours what is not well.
void colour_verdicts(tables::Table& table) {
  for (tables::Row& row : table.rows) {
    for (tables::Cell& cell : row.cells) {
      auto* state = std::get_if<tables::State>(&cell);
      if (state == nullptr || is_well(state->word)) continue;
      state->mood = tables::Mood::bad;
      row.mood = tables::Mood::bad;
    }
  }
}

}  // namespace

MeasuredRun::MeasuredRun(const Measured& file, std::string_view fingerprint)
    : file_(file.file), document_(MeasuredJson::parse(file.document, nullptr, false)) {
  if (!document_.is_object() || !document_.contains("transactions") ||
      !document_["transactions"].is_array()) {
    document_ = MeasuredJson();
    return;
  }
  same_ = document_.value("fingerprint", MeasuredJson()) == fingerprint;
}

std::string MeasuredRun::ended() const {
  const MeasuredJson verdict = document_.value("verdict", MeasuredJson());
  return verdict.is_string() ? verdict.get<std::string>() : "unknown";
}

bool MeasuredRun::passed() const {
  return ended() == "passed";
}

std::string MeasuredRun::verdict() const {
  return same_ ? fmt::format("the run ended: {}", ended())
               : "measured on another exchange: the fingerprints differ";
}

std::string MeasuredRun::text() const {
  if (!is_result()) {
    return fmt::format("<p>{}</p>\n", mark_html("bad", file_ + " is no result of rehearse or run"));
  }
  std::string text;
  if (!same_) {
    text +=
        fmt::format("<p>{}</p>\n", mark_html("bad",
                                             "Measured on another exchange than this plan's: the "
                                             "fingerprints differ. Do not rely on what follows."));
  }
  text += fmt::format("<p class=\"soft\">From {}.</p>\n", html(file_));
  tables::Table table{"transactions", "it has no transactions", tables::measured_columns(), {}};
  files::add_rows_of(document_["transactions"], table);
  colour_verdicts(table);
  text += table_html(table);
  tables::Table faults{"faults", "nothing went wrong", tables::faults_columns(), {}};
  files::add_rows_of(document_.value("faults", MeasuredJson::array()), faults);
  colour_verdicts(faults);
  if (!faults.rows.empty()) text += "<h3>faults</h3>\n" + table_html(faults);
  return text;
}

}  // namespace greymet::exports
