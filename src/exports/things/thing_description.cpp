// W3C Thing Descriptions 1.1 with the forms of the Modbus binding: one a slave with a map.
#include <algorithm>
#include <cmath>
#include <map>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "exports/exports.h"
#include "files/json_text.h"
#include "model/duration_text.h"
#include "model/file_name.h"
#include "model/resolved_plan.h"

namespace greymet::exports {

using Json = nlohmann::ordered_json;

namespace {

std::string_view entity_of(model::Area area) {
  switch (area) {
    case model::Area::coil: return "Coil";
    case model::Area::discrete_input: return "DiscreteInput";
    case model::Area::input_register: return "InputRegister";
    case model::Area::holding_register: return "HoldingRegister";
  }
  return {};
}

std::string_view payload_type(model::TypeKind kind) {
  using model::TypeKind;
  switch (kind) {
    case TypeKind::boolean: return "xsd:boolean";
    case TypeKind::u16:
    case TypeKind::bits:
    case TypeKind::bcd16: return "xsd:unsignedShort";
    case TypeKind::i16: return "xsd:short";
    case TypeKind::u32:
    case TypeKind::bcd32: return "xsd:unsignedInt";
    case TypeKind::i32: return "xsd:int";
    case TypeKind::u64: return "xsd:unsignedLong";
    case TypeKind::i64: return "xsd:long";
    case TypeKind::f32: return "xsd:float";
    case TypeKind::f64: return "xsd:double";
    case TypeKind::text: return "xsd:string";
  }
  return {};
}

bool is_scaled(const model::Point& point) {
  return point.factor != 1 || point.offset != 0;
}

// What the payload is: the vocabulary knows no factor, so that it is the raw value.
std::string_view json_type(const model::Point& point) {
  using model::TypeKind;
  if (point.type.kind == TypeKind::boolean) return "boolean";
  if (point.type.kind == TypeKind::text) return "string";
  const bool real = point.type.kind == TypeKind::f32 || point.type.kind == TypeKind::f64;
  return real ? "number" : "integer";
}

// What the plan does with one point.
struct PointUse {
  std::optional<model::Duration> polled;  // the shortest period of those that read it
  std::vector<std::string> tags;          // that it comes from or goes to
};

// All that are moved, by slave and name of the point.
class PointUses {
 public:
  explicit PointUses(const ExportInput& input) {
    for (const model::PointRow& row : input.points.rows) {
      PointUse& use = uses_[{row.end.owner, row.where}];
      if (row.tag) use.tags.push_back(input.plan.full_name(input.plan.tags[*row.tag]));
      if (!row.is_read || !row.transaction) continue;
      const auto& t = input.plan.transactions[*row.transaction];
      // others carry the value on from where it was read
      if (!t.target || t.target->is_peer) continue;
      if (!t.trigger || t.trigger->kind != model::TriggerKind::cyclic) continue;
      if (!use.polled || t.trigger->period < *use.polled) use.polled = t.trigger->period;
    }
  }
  [[nodiscard]] PointUse of(std::size_t slave, const std::string& where) const {
    const auto found = uses_.find({slave, where});
    return found == uses_.end() ? PointUse{} : found->second;
  }

 private:
  std::map<std::pair<std::size_t, std::string>, PointUse> uses_;
};

Json form_of(const ExportInput& input, std::size_t slave, const model::Point& point,
             const std::string& base, const std::optional<model::Duration>& polled) {
  const model::Extent extent = extent_of(point);
  Json form;
  form["href"] = fmt::format("{}{}?quantity={}", base, extent.first, extent.end - extent.first);
  Json operations = Json::array();
  const bool writable =
      point.access != model::Access::read && (point.address.area == model::Area::coil ||
                                              point.address.area == model::Area::holding_register);
  if (point.access != model::Access::write) operations.push_back("readproperty");
  // a bit of a register is written with all sixteen: nobody who knows only this shall do so
  if (writable && !point.bit) operations.push_back("writeproperty");
  form["op"] = operations;
  form["contentType"] = "application/octet-stream";
  form["modv:entity"] = entity_of(point.address.area);
  form["modv:zeroBasedAddressing"] = true;
  form["modv:type"] = payload_type(point.type.kind);
  if (is_multi_register(point.type)) {
    if (const auto order = input.plan.order_of(slave, point)) {
      using model::WordOrder;
      form["modv:mostSignificantByte"] = *order == WordOrder::abcd || *order == WordOrder::cdab;
      form["modv:mostSignificantWord"] = *order == WordOrder::abcd || *order == WordOrder::badc;
    }
  }
  form["modv:timeout"] =
      std::llround(model::to_ms(model::endpoint_of_slave(input.plan, slave).timeout));
  if (polled) form["modv:pollingTime"] = std::llround(model::to_ms(*polled));
  return form;
}

// Of a scaled point: who knows only the standard's words sees raw values, and that they are. What
// people read stands in words of ours.
void add_raw_facts(Json& property, const model::Point& point) {
  std::string words = fmt::format("raw value: {}raw x {}",
                                  point.unit.empty() ? "" : point.unit + " = ", point.factor);
  if (point.offset != 0) words += fmt::format(" + {}", point.offset);
  property["description"] = point.note.empty() ? words : point.note + " (" + words + ")";
  const bool real =
      point.type.kind == model::TypeKind::f32 || point.type.kind == model::TypeKind::f64;
  const auto raw = [&](double engineering) -> Json {
    const double value = (engineering - point.offset) / point.factor;
    return real ? Json(value) : Json(std::llround(value));
  };
  const auto& lower = point.factor < 0 ? point.max : point.min;
  const auto& upper = point.factor < 0 ? point.min : point.max;
  if (lower) property["minimum"] = raw(*lower);
  if (upper) property["maximum"] = raw(*upper);
  property["greymet:raw"] = true;
  if (!point.note.empty()) property["greymet:note"] = point.note;
  if (!point.unit.empty()) property["greymet:unit"] = point.unit;
  if (point.min) property["greymet:minimum"] = *point.min;
  if (point.max) property["greymet:maximum"] = *point.max;
}

Json property_of(const ExportInput& input, const PointUses& uses, std::size_t slave,
                 const model::Point& point, const std::string& base) {
  Json property{{"title", point.name}, {"type", json_type(point)}};
  if (is_scaled(point)) {
    add_raw_facts(property, point);
  } else {
    if (!point.note.empty()) property["description"] = point.note;
    if (!point.unit.empty()) property["unit"] = point.unit;
    if (point.min) property["minimum"] = *point.min;
    if (point.max) property["maximum"] = *point.max;
  }
  property["readOnly"] = point.access == model::Access::read;
  property["writeOnly"] = point.access == model::Access::write;
  property["greymet:type"] = to_text(point.type);
  if (point.bit) property["greymet:bit"] = *point.bit;
  if (!point.names.empty()) property["greymet:names"] = names_text(point.names);
  property["greymet:factor"] = point.factor;
  property["greymet:offset"] = point.offset;
  const PointUse use =
      uses.of(slave, fmt::format("{}.{}", input.plan.plan.slaves[slave].name, point.name));
  if (!use.tags.empty()) property["greymet:tags"] = use.tags;
  property["forms"] = Json::array({form_of(input, slave, point, base, use.polled)});
  return property;
}

// RFC 3986, section 3.2.2: colons of an address would be taken for the one before the port.
std::string host_in_uri(const std::string& host) {
  return host.find(':') == std::string::npos ? host : "[" + host + "]";
}

// The binding knows addresses of Modbus TCP alone. A slave on a serial line is named after its line
// and unit; whoever reads it has to know the line.
std::string base_of(const model::ResolvedPlan& plan, const model::ExchangeSlave& slave) {
  const int unit = slave.unit ? slave.unit->value : 255;
  if (slave.host)
    return fmt::format("modbus+tcp://{}:{}/{}/", host_in_uri(*slave.host), slave.port, unit);
  const model::ExchangeLine* line = slave.line ? &plan.exchange.lines[*slave.line] : nullptr;
  if (line != nullptr && line->via) {
    const model::ExchangeGateway& gateway = plan.exchange.gateways[*line->via];
    if (gateway.host && gateway.framing == model::GatewayFraming::tcp) {
      return fmt::format("modbus+tcp://{}:{}/{}/", host_in_uri(*gateway.host), gateway.port, unit);
    }
  }
  return fmt::format("modbus+serial://{}/{}/",
                     line != nullptr ? model::file_name_of(line->name) : "line", unit);
}

Json thing_of(const ExportInput& input, const PointUses& uses, std::size_t index,
              const std::string& file_name) {
  const model::ResolvedPlan& plan = input.plan;
  const model::ExchangeSlave& slave = plan.exchange.slaves[index];
  const model::RegisterMap& map = plan.plan.maps[*plan.plan.slaves[index].map];
  const std::string base = base_of(plan, slave);
  Json thing;
  thing["@context"] = Json::array({"https://www.w3.org/2022/wot/td/v1.1",
                                   {{"modv", "https://www.w3.org/2019/wot/modbus#"},
                                    {"xsd", "http://www.w3.org/2001/XMLSchema#"},
                                    {"greymet", "urn:greymet:terms:"}}});
  // the same slave of another plant is another thing
  const std::string plant =
      plan.plan.title ? model::file_name_of(plan.plan.title->value) + ":" : std::string();
  thing["id"] = fmt::format("urn:greymet:thing:{}{}", plant, file_name);
  thing["title"] = slave.name;
  if (plan.plan.title) thing["description"] = plan.plan.title->value;
  if (plan.plan.revision) thing["version"] = {{"instance", plan.plan.revision->value}};
  thing["greymet:fingerprint"] = input.fingerprint;
  if (slave.line) thing["greymet:line"] = plan.exchange.lines[*slave.line].name;
  thing["securityDefinitions"] = {{"nosec_sc", {{"scheme", "nosec"}}}};
  thing["security"] = Json::array({"nosec_sc"});
  Json properties = Json::object();
  auto& members = properties.get_ref<Json::object_t&>();  // it would look for each name in all
  for (const model::Point& point : map.points()) {
    members.push_back({point.name, property_of(input, uses, index, point, base)});
  }
  thing["properties"] = std::move(properties);
  return thing;
}

}  // namespace

ExportedFiles export_things(const ExportInput& input) {
  std::vector<ExportedFile> files;
  std::size_t points = 0;
  for (const model::Slave& slave : input.plan.plan.slaves) {
    if (slave.map) points += input.plan.plan.maps[*slave.map].points().size();
  }
  if (points > model::most_listed_values) {
    return tl::unexpected(
        fmt::format("the maps of the slaves have {} points together, and at most {} can be "
                    "described: leave `things` out of --only",
                    points, model::most_listed_values));
  }
  const PointUses uses(input);
  const std::vector<std::string> names =
      model::file_names_of(model::names_of(input.plan.plan.slaves));
  for (std::size_t s = 0; s < input.plan.plan.slaves.size(); ++s) {
    if (!input.plan.plan.slaves[s].map) continue;
    files.push_back({fmt::format("things/{}.td.json", names[s]),
                     files::dump(thing_of(input, uses, s, names[s]))});
  }
  return files;
}

}  // namespace greymet::exports
