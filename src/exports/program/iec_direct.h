// Values between a controller and the slaves that it asks itself: a structure each slave, and calls
// of the blocks of its map. Not for use outside this folder.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <tuple>
#include <utility>
#include <vector>

#include "iec_maps.h"
#include "iec_memory.h"
#include "iec_program.h"
#include "model/identifier.h"
#include "model/resolved_plan.h"

namespace greymet::exports {

// One block of registers or bits is brought from memory into an array, which a block of the map
// takes apart; the other way, only what is the program's own goes back to memory.
class IecDirect {
 public:
  // Keeps references.
  IecDirect(const model::ResolvedPlan& plan, const IecMaps& maps, IecMemory& memory,
            model::UniqueNames& names);

  // Adds a value of a transaction; `order`: of its words in memory; `kept`: bits of its word that
  // are left alone. Otherwise why it is left out.
  [[nodiscard]] std::optional<std::string> add(const model::PointRow& row, const DirectValue& value,
                                               std::optional<model::WordOrder> order,
                                               unsigned kept);

  [[nodiscard]] bool reads(std::size_t transaction) const {
    return groups_.contains({transaction, true});
  }
  // Statements that take the values of a transaction out of memory; `flag` becomes TRUE where one
  // is no number.
  [[nodiscard]] std::string reading_text(std::size_t transaction, const std::string& flag);
  // That make them zero.
  [[nodiscard]] std::string clearing_text(std::size_t transaction);
  // That put them into memory; empty where nothing is sent.
  [[nodiscard]] std::string sending_text(std::size_t transaction);

  // Instances and arrays that the program declares for itself.
  [[nodiscard]] std::vector<IecVariable> own() const;
  // Structures of the slaves.
  void add_to(std::vector<IecVariable>& globals) const;
  // Maps whose blocks are called.
  [[nodiscard]] std::set<std::size_t> used_maps() const;
  [[nodiscard]] bool uses_words() const { return uses_words_; }

 private:
  struct Group {
    DirectValue first;                      // all have its slave, transaction and block
    std::optional<model::WordOrder> order;  // of those whose order the map does not state
    // memory of each value, and its bits that are left alone
    std::vector<std::pair<model::BitRange, unsigned>> parts;
  };
  [[nodiscard]] std::string call_text(const Group& group, IecBlockKind kind);
  [[nodiscard]] const std::string& instance_of(const DirectValue& value, IecBlockKind kind);
  // Bits of all its values between memory and `bits`.
  [[nodiscard]] std::string bits_text(const Group& group, bool into_memory);

  const model::ResolvedPlan& plan_;
  const IecMaps& maps_;
  IecMemory& memory_;
  model::UniqueNames& names_;
  std::vector<std::string> values_;                       // per slave
  std::vector<std::string> settings_;                     // per slave
  std::set<std::pair<std::size_t, bool>> used_;           // slave, is read
  std::map<std::pair<std::size_t, bool>, Group> groups_;  // transaction, is read
  std::map<std::tuple<std::size_t, model::Area, IecBlockKind>, std::string> instances_;
  std::vector<IecVariable> blocks_;
  bool uses_words_ = false;
  bool uses_bits_ = false;
};

}  // namespace greymet::exports
