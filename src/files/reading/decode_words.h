// Readers of words and small tables that several tables of the plan share.
#pragma once

#include <array>

#include "files/table_reader.h"
#include "model/plan.h"

namespace greymet::files::internal {

// Limits of whole numbers in a plan; docs/plan-format.md names them.
inline constexpr std::int64_t most_baud = 20'000'000;
inline constexpr std::int64_t least_baud = 50;
inline constexpr std::int64_t most_retries = 1000;
inline constexpr std::int64_t most_port_written = 4'294'967'295;  // rule N09 says which ports exist
inline constexpr std::int64_t most_connections = 100'000;
inline constexpr std::int64_t most_memory = 16'777'216;
inline constexpr std::int64_t most_limit = 65536;

// Keys of the settings of a line, as both a line and its slaves state them.
inline void read_serial_settings(TableReader& in, model::SerialSettings& settings) {
  static constexpr std::array<std::pair<std::string_view, model::SerialMode>, 2> modes{
      {{"rtu", model::SerialMode::rtu}, {"ascii", model::SerialMode::ascii}}};
  settings.mode = in.choice<model::SerialMode>("mode", modes);
  settings.baud = in.integer("baud", least_baud, most_baud);
  settings.format = in.parsed<model::CharacterFormat>(
      "format", model::character_format_from,
      "data bits, parity and stop bits, such as \"8E1\" or \"8N2\"", model::meant_format);
}

// { typical = "6ms", max = "25ms" }
inline model::Declared<model::Delay> read_delay(TableReader& in, std::string_view key,
                                                bool may_have_min = false) {
  const Value* table = in.table(key);
  if (table == nullptr) return std::nullopt;
  TableReader sub(*table, in.subject(), in.findings());
  sub.require("typical", "write both: { typical = \"6ms\", max = \"25ms\" }");
  sub.require("max", "write both: { typical = \"6ms\", max = \"25ms\" }");
  const auto typical = sub.duration("typical", model::Duration{});
  const auto most = sub.duration("max", model::Duration{});
  const auto least = may_have_min ? sub.duration("min", model::Duration{}) : std::nullopt;
  sub.finish();
  if (!typical || !most) return std::nullopt;
  if (most->value < typical->value) {
    sub.report(model::RuleCode::P05, most->place, "`max` is shorter than `typical`",
               "the longest delay is at least the typical one");
    return std::nullopt;
  }
  if (least && least->value > typical->value) {
    sub.report(model::RuleCode::P05, least->place, "`min` is longer than `typical`",
               "the shortest delay is at most the typical one");
    return std::nullopt;
  }
  return model::Located<model::Delay>{
      {typical->value, most->value, least ? least->value : model::Duration{}}, table->place};
}

inline model::Declared<model::OnLoss> read_on_loss(TableReader& in) {
  using model::OnLoss;
  static constexpr std::array<std::pair<std::string_view, OnLoss>, 6> words{
      {{"hold", OnLoss::hold},
       {"zero", OnLoss::zero},
       {"alarm", OnLoss::alarm},
       {"warn", OnLoss::warn},
       {"stop", OnLoss::stop},
       {"none", OnLoss::none}}};
  return in.choice<OnLoss>("on_loss", words);
}

inline model::Declared<model::WordOrder> read_word_order(TableReader& in,
                                                         std::string_view key = "word_order") {
  return in.parsed<model::WordOrder>(key, model::word_order_from,
                                     "\"ABCD\", \"CDAB\", \"BADC\" or \"DCBA\"",
                                     model::meant_word_order);
}

}  // namespace greymet::files::internal
