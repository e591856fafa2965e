#include "files/trend_json.h"

#include <algorithm>

#include <nlohmann/json.hpp>

#include "files/json_text.h"

namespace greymet::files {

using Json = nlohmann::ordered_json;

std::string trend_json(const LogTrends& trends) {
  Json list = Json::array();
  for (const Trend& trend : trends.trends) {
    list.push_back({{"where", trend.of.where},
                    {"unit", trend.unit},
                    {"samples", trend.value.size()},
                    {"time_s", trend.time_s},
                    {"value", trend.value}});
  }
  return dump(
      {{"points", std::move(list)}, {"rows", trends.rows}, {"unreadable", trends.unreadable}});
}

}  // namespace greymet::files
