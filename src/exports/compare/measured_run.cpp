#include "measured_run.h"

#include <fmt/format.h>

#include "engine/run_watch.h"
#include "pages/html.h"

namespace greymet::exports {

using MeasuredJson = nlohmann::ordered_json;

namespace {

// Of a transaction in a result of run or rehearse; what is not known is not well.
bool is_well(std::string_view verdict) {
  return verdict == to_string(engine::RunVerdict::good) ||
         verdict == to_string(engine::RunVerdict::not_run) ||
         verdict == to_string(engine::RunVerdict::left_out) || verdict == "–";
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
  const auto number = [](const MeasuredJson& row, const char* key) {
    return row.is_object() && row.contains(key) && row[key].is_number()
               ? fmt::format("{:.3f}", row[key].get<double>())
               : std::string("–");
  };
  const auto count = [](const MeasuredJson& row, const char* key) {
    return row.is_object() && row.contains(key) && row[key].is_number_unsigned()
               ? std::to_string(row[key].get<std::uint64_t>())
               : std::string("–");
  };
  const auto words = [](const MeasuredJson& row, const char* key) {
    return row.is_object() && row.contains(key) && row[key].is_string()
               ? html(row[key].get<std::string>())
               : std::string("–");
  };
  HtmlTable table({"transaction", ">sent", ">good", ">exceptions", ">timeouts", ">bad",
                   ">median response ms", ">predicted ms", ">longest ms", ">bound ms", "verdict"});
  for (const MeasuredJson& t : document_["transactions"]) {
    const std::string verdict = words(t, "verdict");
    table.row(
        {words(t, "name"), count(t, "sent"), count(t, "good"), count(t, "exceptions"),
         count(t, "timeouts"), count(t, "bad"), number(t, "response_median_ms"),
         number(t, "predicted_ms"), number(t, "response_max_ms"), number(t, "bound_ms"), verdict},
        is_well(verdict) ? "" : "bad");
  }
  text += table.text("it has no transactions");
  HtmlTable faults({"slave", "fault", ">noticed after ms", ">recovered after ms", "verdict"});
  const MeasuredJson list = document_.value("faults", MeasuredJson::array());
  if (list.is_array()) {
    for (const MeasuredJson& f : list) {
      faults.row({words(f, "slave"), words(f, "fault"), number(f, "noticed_ms"),
                  number(f, "recovered_ms"), words(f, "verdict")});
    }
  }
  if (!faults.empty()) text += "<h3>faults</h3>\n" + faults.text("");
  return text;
}

}  // namespace greymet::exports
