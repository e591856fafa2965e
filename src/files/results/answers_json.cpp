#include "files/answers_json.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "files/answers_tables.h"
#include "files/json_text.h"
#include "files/table_json.h"
#include "model/duration_text.h"
#include "tables/plan_tables.h"

namespace greymet::files {

using Json = nlohmann::ordered_json;

namespace {

Json problem_json(std::string_view of, const modbus::Dissection& dissection) {
  if (!dissection.problem) return nullptr;
  return {{"of", of},
          {"at", dissection.problem->at},
          {"field", dissection.problem->field},
          {"message", dissection.problem->message}};
}

Json frame_json(const FrameAnswer& frame) {
  const tables::Table table = fields_table({frame});
  Json problems = Json::array();
  for (const auto& problem :
       {problem_json("request", frame.request_fields), problem_json("reply", frame.reply_fields)}) {
    if (!problem.is_null()) problems.push_back(problem);
  }
  const auto hex = [](const modbus::Bytes& bytes) {
    return bytes.empty() ? Json(nullptr) : Json(modbus::to_hex(bytes));
  };
  Json out{{"name", frame.name.empty() ? Json(nullptr) : Json(frame.name)},
           {"mode", mode_name(frame.framing)},
           {"request_hex", hex(frame.request)},
           {"reply_hex", hex(frame.reply)},
           {"request_bytes", frame.request.size()},
           {"reply_bytes", frame.reply.size()},
           {"fields", rows_json(table, 0, table.rows.size())},
           {"problems", std::move(problems)}};
  Json points = Json::array();
  for (const FramePoint& p : frame.points) {
    points.push_back({{"registers", p.registers},
                      {"point", p.name},
                      {"type", p.type},
                      {"unit", p.unit},
                      {"manual", p.manual},
                      {"memory", p.memory.empty() ? Json(nullptr) : Json(p.memory)},
                      {"tag", p.tag.empty() ? Json(nullptr) : Json(p.tag)}});
  }
  out["points"] = std::move(points);
  out["transactions"] = frame.transactions;
  if (frame.times) {
    out["typical_ms"] = model::to_ms(frame.times->typical);
    out["longest_ms"] = model::to_ms(frame.times->longest);
  }
  return out;
}

}  // namespace

std::string_view mode_name(modbus::Framing framing) {
  switch (framing) {
    case modbus::Framing::rtu: return "rtu";
    case modbus::Framing::ascii: return "ascii";
    case modbus::Framing::tcp: return "tcp";
  }
  return {};
}

std::string rules_json(const std::vector<const checks::RuleEntry*>& entries) {
  return dump(rows_json(tables::rules_table(entries)));
}

std::string addresses_json(const std::vector<AddressQuestion>& questions) {
  const tables::Table table = addresses_table(questions);
  Json list = rows_json(table, 0, table.rows.size(), OuterColumns::in_rows);
  for (Json& row : list) {
    for (Json& code : row["functions"]) code = std::stoi(code.get<std::string>());
  }
  return dump(list);
}

std::string value_json(const modbus::ValueQuestion& question,
                       const std::vector<modbus::ValueReading>& readings) {
  Json words = Json::array();
  for (std::uint16_t word : question.words) words.push_back(fmt::format("{:04X}", word));
  Json list = rows_json(readings_table(question, readings));
  for (std::size_t i = 0; i < readings.size(); ++i) {
    // numbers that only an unsigned one can hold are numbers here
    const auto& raw = readings[i].raw;
    const auto* large = raw ? std::get_if<std::uint64_t>(&*raw) : nullptr;
    if (large != nullptr && question.type.kind != model::TypeKind::bits) list[i]["value"] = *large;
  }
  return dump({{"words", std::move(words)},
               {"type", to_text(question.type)},
               {"readings", std::move(list)}});
}

std::string frames_json(const std::vector<FrameAnswer>& frames, bool only_one) {
  if (only_one && !frames.empty()) return dump(frame_json(frames.front()));
  Json list = Json::array();
  for (const FrameAnswer& frame : frames) list.push_back(frame_json(frame));
  return dump(list);
}

}  // namespace greymet::files
