// What differs between two exchanges, in their own terms. Both are given as the text of
// exchange.json, so that plans, exported files and files that came back from site compare alike.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <tl/expected.hpp>
#include <variant>
#include <vector>

#include "tables/table.h"

namespace greymet::timing {
struct TimingReport;
}

namespace greymet::exports {

// One difference. Of something that came or went, `what` is "added" or "removed" and one of the
// values is empty.
struct Change {
  std::string kind;     // "transaction", "line", "slave", "tag", "plan" ...
  std::string subject;  // its name
  std::string what;     // "period", "read.count", "point flame_signal.type"
  std::string old;      // as people write it: "500ms", "none"
  std::string now;
};

// Nothing differs exactly where the exchanges and what the document says beside them are the same:
// without title, revision and tags that is where the fingerprints are. The error names the text
// that is no exchange.json.
[[nodiscard]] tl::expected<std::vector<Change>, std::string> exchange_changes(
    std::string_view old_document, std::string_view new_document);

// A number, a verdict, or nothing.
using TimingValue = std::variant<std::monostate, double, std::string>;

// What a change does to timing: use of lines, bounds, heartbeats, paths.
struct TimingChange {
  std::string subject;  // "line north", "transaction moisture-in"
  std::string what;     // "use", "response bound": with the unit below
  std::string unit;     // "percent", "ms", or none
  TimingValue old;
  TimingValue now;
};

// Numbers that differ by less than a thousandth (a hundredth of a percent) are the same.
[[nodiscard]] std::vector<TimingChange> timing_changes(const timing::TimingReport& old,
                                                       const timing::TimingReport& now);

// One row a change; one row a difference of timing.
[[nodiscard]] tables::Table changes_table(const std::vector<Change>& changes);
[[nodiscard]] tables::Table timing_changes_table(const std::vector<TimingChange>& timing);

// {"changes":[{"kind","subject","what","old","new"}],"timing":[{"subject","what","old","new"}]}
[[nodiscard]] std::string diff_json(const std::vector<Change>& changes,
                                    const std::vector<TimingChange>& timing);

// "transaction burner-set: period 1s -> 500ms"
[[nodiscard]] std::string to_text(const Change& change);
// "line north: use 61.20 % -> 74.00 %"
[[nodiscard]] std::string to_text(const TimingChange& change);

}  // namespace greymet::exports
