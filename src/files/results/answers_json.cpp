#include "files/answers_json.h"

#include <cmath>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "files/json_text.h"
#include "model/duration_text.h"

namespace greymet::files {

using Json = nlohmann::ordered_json;

namespace {

Json text_or_null(const std::optional<std::string>& text) {
  return text ? Json(*text) : Json(nullptr);
}

Json address_json(const AddressQuestion& question, const model::AddressAnswer& answer) {
  Json functions = Json::array();
  for (const model::FunctionTraits& f : model::all_functions()) {
    if (f.area == answer.address.area) functions.push_back(number_of(f.code));
  }
  const auto offset = answer.address.offset.value;
  return {{"text", question.text},
          {"area", short_name(answer.address.area)},
          {"offset", offset},
          {"hex", fmt::format("0x{:04X}", offset)},
          {"reference5", text_or_null(reference5(answer.address))},
          {"reference6", reference6(answer.address)},
          {"from_1", std::uint32_t{offset} + 1},
          {"bit", answer.bit ? Json(*answer.bit) : Json(nullptr)},
          {"point", answer.points.empty() ? Json(nullptr) : Json(answer.points.front())},
          {"points", answer.points},
          {"tags", answer.tags},
          {"reading", answer.how},
          {"planned", answer.planned.empty() ? Json(nullptr) : Json(answer.planned)},
          {"functions", functions},
          {"doubts", question.found.doubts}};
}

Json raw_json(const modbus::RawValue& raw, model::DataType type) {
  if (type.kind == model::TypeKind::bits) return modbus::to_text(raw, type);
  return std::visit(
      [](const auto& v) -> Json {
        using T = std::decay_t<decltype(v)>;
        if constexpr (std::is_same_v<T, double>) {
          if (!std::isfinite(v)) return nullptr;
        }
        return v;
      },
      raw);
}

void add_fields(Json& list, std::string_view of, const modbus::Dissection& dissection) {
  for (const modbus::Field& field : dissection.fields) {
    list.push_back({{"of", of},
                    {"at", field.at},
                    {"bytes", modbus::to_hex(field.bytes)},
                    {"name", field.name},
                    {"value", field.value},
                    {"wrong", field.wrong}});
  }
}

Json problem_json(std::string_view of, const modbus::Dissection& dissection) {
  if (!dissection.problem) return nullptr;
  return {{"of", of},
          {"at", dissection.problem->at},
          {"field", dissection.problem->field},
          {"message", dissection.problem->message}};
}

Json frame_json(const FrameAnswer& frame) {
  Json fields = Json::array();
  add_fields(fields, "request", frame.request_fields);
  add_fields(fields, "reply", frame.reply_fields);
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
           {"fields", std::move(fields)},
           {"problems", std::move(problems)}};
  Json points = Json::array();
  for (const FramePoint& p : frame.points) {
    points.push_back({{"registers", p.registers},
                      {"point", p.name},
                      {"type", p.type},
                      {"unit", p.unit},
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
  Json list = Json::array();
  for (const checks::RuleEntry* e : entries) {
    list.push_back({{"rule", to_string(e->code)},
                    {"severity", to_string(e->severity)},
                    {"family", checks::family_of(e->code).title},
                    {"title", e->title},
                    {"why", e->why},
                    {"wrong", e->wrong},
                    {"right", e->right},
                    {"remedy", e->remedy},
                    {"clause", e->clause.empty() ? Json(nullptr) : Json(e->clause)}});
  }
  return dump(list);
}

std::string addresses_json(const std::vector<AddressQuestion>& questions) {
  Json list = Json::array();
  for (const AddressQuestion& question : questions) {
    for (const model::AddressAnswer& answer : question.found.answers) {
      list.push_back(address_json(question, answer));
    }
  }
  return dump(list);
}

std::string value_json(const modbus::ValueQuestion& question,
                       const std::vector<modbus::ValueReading>& readings) {
  Json words = Json::array();
  for (std::uint16_t word : question.words) words.push_back(fmt::format("{:04X}", word));
  Json list = Json::array();
  for (const modbus::ValueReading& r : readings) {
    const bool finite = r.engineering && std::isfinite(*r.engineering);
    list.push_back({{"order", to_string(r.order)},
                    {"value", r.raw ? raw_json(*r.raw, question.type) : Json(nullptr)},
                    {"plausible", question.near ? Json(r.plausible) : Json(nullptr)},
                    {"engineering", finite ? Json(*r.engineering) : Json(nullptr)},
                    {"problem", r.problem.empty() ? Json(nullptr) : Json(r.problem)}});
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
