#include "files/measured_reader.h"

#include <cmath>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace greymet::files {

using MeasuredRow = nlohmann::json;

namespace {

constexpr double most_ms = 1e9;  // no request takes longer than eleven days

// Milliseconds of that key; nothing where it holds no time.
std::optional<model::Duration> time_of(const MeasuredRow& row, const char* key) {
  const auto at = row.find(key);
  if (at == row.end() || !at->is_number()) return std::nullopt;
  const double ms = at->get<double>();
  if (!(ms >= 0) || ms > most_ms) return std::nullopt;
  return model::Duration(static_cast<std::int64_t>(std::llround(ms * 1e6)));
}

}  // namespace

tl::expected<std::vector<timing::MeasuredDuration>, std::string> read_measured(
    const std::string& text) {
  const MeasuredRow document = MeasuredRow::parse(text, nullptr, false);
  if (document.is_discarded()) return tl::unexpected(std::string("is not JSON"));
  if (!document.is_object() || !document.contains("transactions") ||
      !document["transactions"].is_array()) {
    return tl::unexpected(
        std::string("is not what `greymet run --json` or `greymet rehearse --json` writes: it has "
                    "no list \"transactions\""));
  }
  std::vector<timing::MeasuredDuration> out;
  for (const MeasuredRow& row : document["transactions"]) {
    if (!row.is_object()) continue;
    const auto name = row.find("name");
    if (name == row.end() || !name->is_string()) continue;
    const auto quiet = row.find("quiet_good");
    const auto good = quiet != row.end() && quiet->is_number_unsigned() ? quiet : row.find("good");
    if (good == row.end() || !good->is_number_unsigned()) continue;
    const auto median = time_of(row, "duration_median_ms");
    const auto longest = time_of(row, "duration_max_ms");
    if (good->get<std::uint64_t>() == 0 || !median || !longest) continue;
    out.push_back({name->get<std::string>(), good->get<std::uint64_t>(), *median, *longest});
  }
  if (out.empty()) {
    return tl::unexpected(
        std::string("holds no durations of good answers (\"duration_max_ms\"): measure again"));
  }
  return out;
}

tl::expected<void, std::string> measure(LoadedPlan& loaded, const std::string& name,
                                        const std::string& text) {
  const auto durations = read_measured(text);
  if (!durations) return tl::unexpected(durations.error());
  model::ResolvedPlan& plan = loaded.plan;
  model::Measurement measured = timing::measured_facts(plan, name, *durations);
  if (measured.facts.empty()) {
    return tl::unexpected(std::string("measured no transaction of this plan"));
  }
  plan.plan.measured = std::move(measured);
  plan.exchange = model::with_facts(plan, {});
  return {};
}

}  // namespace greymet::files
