// What the programs of a plan know of each register map: a structure of its values, and blocks that
// take them out of registers and put them there. Not for use outside this folder.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "iec_program.h"
#include "iec_values.h"
#include "model/identifier.h"
#include "model/point_list.h"
#include "model/resolved_plan.h"

namespace greymet::exports {

// A value between a controller and a slave that it asks itself: in a block of registers that lie in
// memory as they lie at the slave.
struct DirectValue {
  std::size_t slave = 0;
  const model::ExchangeTransaction* transaction = nullptr;
  const model::DeviceBlock* block = nullptr;  // the read or written one
  const model::MemoryRange* memory = nullptr;
  const model::Point* point = nullptr;
};
// Nothing for values that copies or other controllers bring, or that lie otherwise.
[[nodiscard]] std::optional<DirectValue> direct_value(const model::ResolvedPlan& plan,
                                                      const model::PointRow& row);

// The order of a row's words in the controller's memory; nothing where the plan does not tell. What
// is swapped on its way out comes as the controller has it.
[[nodiscard]] std::optional<model::WordOrder> order_of_memory(const model::MemoryLayout& layout,
                                                              const model::PointRow& row);

// A value of a point as programs see it.
[[nodiscard]] ValueForm form_of(const model::Point& point);

// What a block of a map does with a window of registers or bits: takes values out of them, makes
// the values of that window zero, or puts values into them.
enum class IecBlockKind : std::uint8_t { read, clear, write };

// One map: names of types and blocks, and of the members of its structures.
class IecMap {
 public:
  IecMap(const model::RegisterMap& map, const std::string& name, model::UniqueNames& names);

  // `cleared`: some request that reads it makes it zero when it is lost.
  void add_read(const model::Point* point, bool cleared);
  // False where another point that is written takes some of the same bits.
  bool add_written(const model::Point* point);
  [[nodiscard]] bool reads(const model::Point* point) const { return read_.contains(point); }
  [[nodiscard]] bool writes(const model::Point* point) const { return written_.contains(point); }

  [[nodiscard]] const std::string& values_type() const { return values_type_; }
  [[nodiscard]] const std::string& settings_type() const { return settings_type_; }
  // "BURNER_HR_READ"
  [[nodiscard]] const std::string& block_name(model::Area area, IecBlockKind kind) const {
    return blocks_.at({area, kind});
  }
  [[nodiscard]] const std::string& member(const model::Point* point) const {
    return members_.at(point);
  }
  // Structures and blocks of all that was added.
  void add_to(IecPart& part) const;

 private:
  [[nodiscard]] IecStruct structure(bool is_read) const;
  [[nodiscard]] IecPou moving_block(model::Area area, bool is_read) const;
  [[nodiscard]] IecPou clearing_block(model::Area area) const;
  // Of the area, by address.
  [[nodiscard]] std::vector<const model::Point*> points_of(model::Area area, bool is_read) const;

  const model::RegisterMap& map_;
  std::string name_;
  std::string values_type_;
  std::string settings_type_;
  std::map<const model::Point*, std::string> members_;  // of all points: names stay
  std::map<std::pair<model::Area, IecBlockKind>, std::string> blocks_;
  std::set<const model::Point*> read_;
  std::set<model::Area> cleared_;
  std::set<const model::Point*> written_;
};

// All maps of a plan whose values move.
class IecMaps {
 public:
  // Keeps a reference to the plan.
  explicit IecMaps(const ExportInput& input);
  // The map of a slave, or null.
  [[nodiscard]] const IecMap* of(std::size_t slave) const;
  // All of them, each with its types and blocks.
  [[nodiscard]] const std::map<std::size_t, IecMap>& all() const { return maps_; }
  // Names of their types and blocks.
  [[nodiscard]] const model::UniqueNames& names() const { return names_; }

 private:
  const model::ResolvedPlan& plan_;
  model::UniqueNames names_;
  std::map<std::size_t, IecMap> maps_;  // per map of the plan
};

}  // namespace greymet::exports
