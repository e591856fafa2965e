// What a program declares: variables in the controller's memory, and what it works with. Not for
// use outside this folder.
#pragma once

#include <initializer_list>
#include <optional>
#include <string>

#include "iec_program.h"
#include "iec_values.h"
#include "model/identifier.h"
#include "model/resolved_plan.h"

namespace greymet::exports {

// A variable that lies anywhere.
[[nodiscard]] IecVariable iec_variable(const std::string& name, const std::string& type,
                                       const std::string& comment = {});

// Collects the local variables of one program under names of its own.
class IecData {
 public:
  // Keeps a reference to the layout. `reserved`: names that nothing else gets.
  IecData(const model::MemoryLayout& layout, std::initializer_list<const char*> reserved);

  // `name`, or `name_2` and so on where it was taken before.
  [[nodiscard]] std::string take(const std::string& name) { return names_.take(name); }
  // Declares the memory of one value and says how its words, or its bit, are named.
  RawPlace declare(const std::string& name, const model::BitRange& bits, const std::string& what);
  // The same for whole words, or members of a bit area, as an array from 0 on; its name.
  std::string declare_array(const std::string& name, const model::BitRange& bits);
  // A variable that lies anywhere; the name has been taken.
  void own(const std::string& name, const std::string& type);

  [[nodiscard]] bool of_bits(const model::BitRange& bits) const;
  // Types of all of them: function blocks are called by what is declared of them.
  [[nodiscard]] std::string own_types() const;
  [[nodiscard]] const IecBlock& own_block() const { return own_; }

 private:
  void place_at(IecVariable& variable, const model::BitRange& words,
                const std::string& shown) const;

  const model::MemoryLayout& layout_;
  model::UniqueNames names_;
  IecBlock own_{IecSection::local, {}};
};

// The whole of a controller's transactions as a constant, what a block of its library is told, and
// the structure of its rows; nothing for who is master of nothing.
struct TransactionTable {
  IecStruct type;
  IecVariable variable;
};
[[nodiscard]] std::optional<TransactionTable> transaction_table(const model::ResolvedPlan& plan,
                                                                model::ControllerIndex controller);

}  // namespace greymet::exports
