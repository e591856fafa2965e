#include "files/memory_json.h"
#include "files/json_text.h"
#include "model/resolved_plan.h"

#include <nlohmann/json.hpp>

namespace greymet::files {

using Json = nlohmann::ordered_json;

namespace {

Json store_json(const model::MemoryLayout& layout, const model::StoreReport& store) {
  Json uses = Json::array();
  for (const model::MemoryRow& row : store.rows) {
    uses.push_back({{"range", row.range},
                    {"count", row.count},
                    {"purpose", to_string(row.purpose)},
                    {"by", row.by},
                    {"assigned", row.assigned},
                    {"overlaps", row.clash},
                    {"tags", row.tags}});
  }
  const auto unit = static_cast<std::int64_t>(store.words ? model::bits_per_word : 1);
  Json free = Json::array();
  for (const model::BitRange& bits : store.free) {
    free.push_back({{"range", layout.name_of(bits)},
                    {"count", static_cast<std::int64_t>(bits.end - bits.first) / unit}});
  }
  Json overlaps = Json::array();
  for (const model::MemoryClash& clash : store.clashes) {
    overlaps.push_back(
        {{"range", clash.range}, {"by", {to_text(clash.first), to_text(clash.second)}}});
  }
  return {{"area", store.name},
          {"kind", store.words ? "word" : "bit"},
          {"first", store.first},
          {"count", store.count},
          {"used", store.used},
          {"uses", std::move(uses)},
          {"free", std::move(free)},
          {"overlaps", std::move(overlaps)},
          {"overlaps_not_named", store.clashes_not_named}};
}

Json extents_json(const std::vector<model::Extent>& extents) {
  Json list = Json::array();
  for (const model::Extent& e : extents) {
    list.push_back({{"offset", e.first}, {"count", e.end - e.first}});
  }
  return list;
}

Json area_json(const model::DeviceAreaReport& area) {
  Json uses = Json::array();
  for (const model::DeviceRow& row : area.rows) {
    uses.push_back({{"offset", row.extent.first},
                    {"count", row.extent.end - row.extent.first},
                    {"purpose", row.is_read ? "read" : "write"},
                    {"by", row.by},
                    {"overlaps", row.clash}});
  }
  return {{"area", short_name(area.area)},
          {"uses", std::move(uses)},
          {"listed", extents_json(area.listed)},
          {"unused_points", area.unused},
          {"written_twice", extents_json(area.written_twice)}};
}

}  // namespace

std::string memory_json(const model::ResolvedPlan& resolved, const model::MemoryReport& report) {
  Json controllers = Json::array();
  for (const model::ControllerMemory& memory : report.controllers) {
    Json areas = Json::array();
    for (const model::StoreReport& store : memory.stores) {
      areas.push_back(store_json(resolved.layouts[memory.controller], store));
    }
    controllers.push_back({{"controller", resolved.plan.controllers[memory.controller].name},
                           {"areas", std::move(areas)}});
  }
  Json slaves = Json::array();
  for (const model::SlaveMemory& memory : report.slaves) {
    Json areas = Json::array();
    for (const model::DeviceAreaReport& area : memory.areas) areas.push_back(area_json(area));
    slaves.push_back(
        {{"slave", resolved.plan.slaves[memory.slave].name}, {"areas", std::move(areas)}});
  }
  const Json document{{"controllers", std::move(controllers)}, {"slaves", std::move(slaves)}};
  return dump(document);
}

}  // namespace greymet::files
