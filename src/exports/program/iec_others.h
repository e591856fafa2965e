// Values of a program that lie in no register of a slave that its controller asks: brought by
// copies and by other controllers, or meant for those. Not for use outside this folder.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "iec_memory.h"
#include "iec_program.h"
#include "model/identifier.h"
#include "model/point_list.h"
#include "model/resolved_plan.h"

namespace greymet::exports {

// Statements between memory and the structures `others` and `others_set`, one by one: no map tells
// of such values, so that no block can be shared.
class IecOthers {
 public:
  // Statements of one request; of none for what others bring or fetch.
  struct Group {
    std::string reading;
    std::string zeros;  // all that is read becomes zero
    std::string sending;
  };

  // Keeps references.
  IecOthers(const model::ResolvedPlan& plan, model::ControllerIndex controller, IecMemory& memory,
            model::UniqueNames& names);

  // Adds a value. `kept`: bits of its word that are left alone. `flag`: what becomes TRUE where it
  // is no number; nothing: a member of `others`. Otherwise why it is left out.
  [[nodiscard]] std::optional<std::string> add(const model::PointRow& row,
                                               std::optional<std::size_t> request,
                                               const std::string& flag, unsigned kept);
  // Those of a request of the controller, or of none; null where there are none.
  [[nodiscard]] const Group* find(std::optional<std::size_t> request) const;
  // What copies and other controllers bring.
  [[nodiscard]] std::string reading_text() const;
  // Adds both structures to the program, and their variables to `globals`.
  void add_to(IecProgram& out, std::vector<IecVariable>& globals) const;
  // What the statements need of the program around them.
  [[nodiscard]] const ValueText& needs() const { return needs_; }
  [[nodiscard]] bool uses_words() const { return uses_words_; }

 private:
  // A structure with its variable.
  struct Structure {
    std::string variable;
    std::string type;
    std::string comment;
    std::vector<IecVariable> members;
    model::UniqueNames names;
  };
  [[nodiscard]] std::string value_name(const model::PointRow& row) const;
  void note_needs(const ValueText& text);

  const model::ResolvedPlan& plan_;
  const model::MemoryLayout& layout_;
  IecMemory& memory_;
  Structure read_;
  Structure sent_;
  std::map<std::optional<std::size_t>, Group> groups_;
  std::set<model::BitRange> taken_;
  ValueText needs_;
  bool uses_words_ = false;
};

}  // namespace greymet::exports
