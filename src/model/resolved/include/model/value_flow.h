// How values move: point -> read -> memory -> copy -> write -> another controller's memory, or a
// slave.
//
// The one answer to "where does this value go": ages of paths, carriers of heartbeats and the rules
// about passed-on values ask here.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <tuple>
#include <vector>

#include "model/address.h"
#include "model/bit_index.h"
#include "model/memory_range.h"

namespace greymet::model {

struct Point;
struct ResolvedPlan;

// Where a value lies: bits of a controller's memory, or of an area of a slave (16 to a register).
struct ValuePlace {
  bool at_controller = false;
  std::size_t owner = 0;               // into Plan::controllers or Plan::slaves
  Area area = Area::holding_register;  // at a slave
  BitRange bits;                       // at a slave `store` is 0
  friend auto operator<=>(const ValuePlace&, const ValuePlace&) = default;
  friend bool operator==(const ValuePlace&, const ValuePlace&) = default;
};

[[nodiscard]] ValuePlace memory_place(std::size_t controller, const BitRange& bits);
[[nodiscard]] ValuePlace slave_place(std::size_t slave, Area area, const BitRange& bits);

// Where a slave keeps a point of its map; one bit of a register where it has one.
[[nodiscard]] ValuePlace point_place(std::size_t slave, const Point& point);

// True if both speak of the same store or area and `part` lies within `whole`.
[[nodiscard]] bool inside(const ValuePlace& part, const ValuePlace& whole);

// Who moves a value: a master that reads or writes, or a program that copies.
enum class MoveKind : std::uint8_t { read, write, copy };

// One step of a value.
struct ValueMove {
  MoveKind kind = MoveKind::read;
  std::size_t index = 0;       // a transaction, or a copy, of the resolved plan
  std::size_t controller = 0;  // whose master or program does it
  std::size_t receiver = 0;    // controller that receives it; of a write to a slave the slave
  bool to_controller = true;
  std::optional<ValuePlace> to;  // none: where it lies then is not known
};

// Built from a resolved plan; keeps its own copy of what it needs. A step looks at the moves that
// begin where the value lies, not at all of them.
class ValueFlow {
 public:
  ValueFlow() = default;
  explicit ValueFlow(const ResolvedPlan& plan);

  // All that moves the whole value `from`, in the order copies, writes, reads, each in list order.
  [[nodiscard]] std::vector<ValueMove> moves_of(const ValuePlace& from) const;

 private:
  struct Mover {
    ValuePlace from;
    ValueMove move;  // `to` is where all of `from` goes
  };
  struct Movers {
    std::vector<Mover> list;
    BitIndex sources;  // parallel
  };
  using Store = std::tuple<bool, std::size_t, Area, std::size_t>;
  static Store store_of(const ValuePlace& place);
  void add(const ValuePlace& from, const ValueMove& move);

  std::map<Store, Movers> movers_;
};

}  // namespace greymet::model
