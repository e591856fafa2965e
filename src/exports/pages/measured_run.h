// The result of a rehearsal or a run, for the report. Not for use outside this folder.
#pragma once

#include <string>
#include <string_view>

#include <nlohmann/json.hpp>

#include "exports/report.h"

namespace greymet::exports {

// A document that anybody may have changed: what is missing or of another kind is shown as a dash.
class MeasuredRun {
 public:
  MeasuredRun(const Measured& file, std::string_view fingerprint);

  // False for what is no result of `rehearse` or `run` at all.
  [[nodiscard]] bool is_result() const { return document_.is_object(); }
  // Measured on the exchange with that fingerprint.
  [[nodiscard]] bool same_exchange() const { return same_; }
  [[nodiscard]] bool passed() const;
  // How it ended, in a few words.
  [[nodiscard]] std::string verdict() const;
  // The section of the page.
  [[nodiscard]] std::string text() const;

 private:
  [[nodiscard]] std::string ended() const;

  std::string file_;
  nlohmann::ordered_json document_;  // null where it is no result
  bool same_ = false;
};

}  // namespace greymet::exports
