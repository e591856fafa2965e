#include "files/trend_json.h"

#include <algorithm>

#include <nlohmann/json.hpp>

#include "files/json_text.h"

namespace greymet::files {

using Json = nlohmann::ordered_json;

std::string trend_json(const LogTrends& trends) {
  Json list = Json::array();
  for (const Trend& trend : trends.trends) {
    Json gaps = Json::array();
    for (const auto& [from, to] : gaps_of(trend, trends.end_s))
      gaps.push_back({{"from_s", from}, {"to_s", to}});
    const auto summary = summary_of(trend, trends.end_s);
    const auto maybe = [&](double TrendSummary::*field) {
      return summary ? Json((*summary).*field) : Json(nullptr);
    };
    list.push_back({{"where", trend.of.where},
                    {"unit", trend.of.unit},
                    {"samples", trend.value.size()},
                    {"least", maybe(&TrendSummary::least)},
                    {"mean", maybe(&TrendSummary::mean)},
                    {"most", maybe(&TrendSummary::most)},
                    {"longest_gap_s", maybe(&TrendSummary::longest_gap_s)},
                    {"time_s", trend.time_s},
                    {"value", trend.value},
                    {"gaps", std::move(gaps)},
                    {"writes", {{"time_s", trend.write_time_s}, {"value", trend.written}}}});
  }
  Json acts = Json::array();
  for (const TrendAct& act : trends.acts) {
    acts.push_back({{"name", act.name}, {"from_s", act.from_s}, {"to_s", act.to_s}});
  }
  return dump({{"points", std::move(list)},
               {"acts", std::move(acts)},
               {"rows", trends.rows},
               {"unreadable", trends.unreadable}});
}

}  // namespace greymet::files
