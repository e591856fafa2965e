// What rests on what: every value that durations depend on, and whether the plan states it, a
// measurement gave it, or a default stands for it.
#pragma once

#include <bitset>
#include <cstdint>
#include <initializer_list>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>

#include "model/fact.h"
#include "model/plan.h"

namespace greymet::model {

// In words and as keys of the plan; what settles it.
struct FactTraits {
  std::string_view key;      // "reply"
  std::string_view words;    // "the reply time"
  std::string_view why;      // why this default and no other
  std::string_view example;  // what to write: `reply = { typical = "6ms", max = "25ms" }`
  std::string_view settle;   // where to find it: "measure it with `greymet run`"
  bool optimistic;           // the default is the best case, not a usual or the worst one
};
[[nodiscard]] const FactTraits& traits_of(FactKind kind);

// Some kinds.
class FactSet {
 public:
  void add(FactKind kind) { kinds_.set(static_cast<std::size_t>(kind)); }
  void add(const FactSet& other) { kinds_ |= other.kinds_; }
  [[nodiscard]] bool contains(FactKind kind) const {
    return kinds_.test(static_cast<std::size_t>(kind));
  }
  // Those of them that are among `kinds`.
  [[nodiscard]] FactSet only(std::initializer_list<FactKind> kinds) const;
  // Their keys, in the order of the kinds, each once.
  [[nodiscard]] std::vector<std::string> keys() const;

 private:
  std::bitset<fact_kinds> kinds_;
};

// Whose it is: a controller's answers go by the controller.
[[nodiscard]] Subject owner_subject(const Plan& plan, const FactId& id);

// "500ms", "10ms typical, 50ms at most", "1", "first"
[[nodiscard]] std::string fact_text(FactKind kind, const FactValue& value);

// `measured`: given instead, by a measurement or to be tried.
enum class Basis : std::uint8_t { stated, measured, assumed };
[[nodiscard]] std::string_view to_string(Basis basis);

struct Fact {
  FactId id;
  Basis basis = Basis::assumed;
  FactValue value;
  Range place;  // where it is stated; else its owner
};

// Who knows the facts of one exchange: the only way to a default.
class Ledger {
 public:
  Ledger() = default;
  // Keeps a reference while values are taken.
  explicit Ledger(const Overrides& instead) : instead_(&instead) {}

  // The value that counts, and remembers where it is from.
  template <class T>
  T take(FactId id, const Declared<T>& declared, T fallback, Range owner) {
    Fact fact{
        id, declared ? Basis::stated : Basis::assumed, {}, declared ? declared->place : owner};
    T value = declared ? declared->value : fallback;
    if (instead_ != nullptr) {
      if (const auto found = instead_->find(id); found != instead_->end()) {
        value = as<T>(found->second);
        fact.basis = Basis::measured;
      }
    }
    fact.value = as_value(value);
    facts_.push_back(std::move(fact));
    return value;
  }
  // No longer tied to what it was made with.
  void close() { instead_ = nullptr; }

  // In the order of the plan: lines, gateways, slaves, controllers.
  [[nodiscard]] const std::vector<Fact>& facts() const { return facts_; }

 private:
  template <class T>
  static FactValue as_value(const T& value) {
    if constexpr (std::is_enum_v<T>) {
      return static_cast<std::int64_t>(value);
    } else {
      return value;
    }
  }
  template <class T>
  static T as(const FactValue& value) {
    if constexpr (std::is_enum_v<T>) {
      return static_cast<T>(std::get<std::int64_t>(value));
    } else {
      return std::get<T>(value);
    }
  }

  const Overrides* instead_ = nullptr;
  std::vector<Fact> facts_;
};

}  // namespace greymet::model
