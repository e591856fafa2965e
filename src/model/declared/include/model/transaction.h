// Transactions, copies and wants as the plan declares them, in the words of the file.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "model/address.h"
#include "model/data_type.h"
#include "model/range.h"
#include "model/strong.h"

namespace greymet::model {

// What the program does when nothing good comes any more.
enum class OnLoss : std::uint8_t { hold, zero, alarm, warn, stop, none };
// How bits lie in registers.
enum class Packing : std::uint8_t { bits_to_words, words_to_bits };

// `every`: a period, or continuously.
struct Every {
  bool continuous = false;
  Duration period{};
};

// One block of registers or bits as written: `at` and `count`, or `points`; and where it lies in
// the controller (`into` of a read, `from` of a write). `swap`: the word order into which the
// controller or a gateway brings its values on the way.
struct BlockText {
  Range place;
  Declared<AddressText> at;
  Declared<std::int64_t> count;
  Declared<std::vector<Located<std::string>>> points;
  Declared<std::string> memory;
  Declared<WordOrder> swap;
  RefusedKeys refused;
};

// Where a transaction reports how it went, as memory addresses.
struct StatusText {
  Declared<std::string> busy;
  Declared<std::string> done;
  Declared<std::string> failed;
  Declared<std::string> exception;
};

// What a write always sends, as it is written: for one of its points, or for all it writes.
struct ConstantText {
  Located<std::string> point;  // empty: for all
  Located<std::string> value;
};

// A transaction as declared. Function 23 fills `read` and `write`, all others `block`.
struct Transaction {
  std::string name;
  Range place;
  Declared<std::string> controller;
  Declared<std::string> slave;
  Declared<std::int64_t> function;
  BlockText block;
  Declared<std::string> into;
  Declared<std::string> from;
  // Of function 23 alone, or null. Shared by copies of the plan.
  std::shared_ptr<const BlockText> read;
  std::shared_ptr<const BlockText> write;
  Declared<Every> every;
  Declared<std::string> on;
  Declared<Duration> phase;
  Declared<Duration> phase_step;  // of rows that stand for several slaves: from one to the next
  Declared<Duration> min_gap;
  Declared<std::string> only_if;
  Declared<OnLoss> on_loss;
  std::shared_ptr<const StatusText> status;  // or null; shared like `read`
  Declared<Packing> packing;
  Declared<bool> relays;
  Declared<bool> alone;                 // of one slave, whatever is like it
  std::vector<ConstantText> constants;  // `value`
  RefusedKeys refused;
};

// What the controller's program copies within its memory each scan.
struct Copy {
  Range place;
  Declared<std::string> controller;
  Declared<std::string> from;
  Declared<std::string> to;
  Declared<std::int64_t> count;
};

// Points that somebody wants read, or written, for packing into requests: `into` of a read, `from`
// of a write, which may be cyclic, on a bit, or on a change of what it sends.
struct Want {
  std::size_t number = 1;  // in the file, from 1: several wants may be written as one
  Range place;
  Declared<std::string> slave;
  Declared<std::vector<Located<std::string>>> points;
  Declared<Duration> every;
  Declared<std::string> into;
  Declared<std::string> from;
  Declared<std::string> on;
  Declared<Duration> min_gap;
  Declared<std::string> only_if;
  Declared<std::string> controller;
  Declared<OnLoss> on_loss;  // of the requests that are made of it

  [[nodiscard]] bool writes() const { return from.has_value(); }
};

}  // namespace greymet::model
