// A controller as the plan declares it: its memory, what it can do, how it answers others.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "model/address.h"
#include "model/data_type.h"
#include "model/network.h"
#include "model/range.h"
#include "model/strong.h"
#include "model/tag.h"

namespace greymet::model {

// What an area of memory is made of.
enum class MemoryKind : std::uint8_t { word, bit };
// One area of a controller's memory. A bit area is a store of its own or lies inside a word area.
struct MemoryArea {
  std::string name;  // the prefix of its addresses, e.g. "%MW"
  Range place;
  MemoryKind kind = MemoryKind::word;
  std::int64_t first = 0;  // number of the first word or bit
  std::int64_t count = 0;
  Declared<std::int64_t> count_declared;
  std::vector<Located<AddressText>> serves;  // the address `first` answers at, for peers
  Declared<std::string> inside;              // word area whose bits these are
  std::int64_t width = 16;                   // bits used of each word of `inside`
  int radix = 10;                            // how numbers are written: 8, 10 or 16
};

// A way in which a controller answers as a slave: on a TCP port, or on a serial line.
struct Answer {
  Range place;
  Declared<std::int64_t> port;
  Declared<std::int64_t> connections;
  Declared<std::vector<Located<std::string>>> allows;
  Declared<Duration> timeout;
  Declared<std::int64_t> retries;
  Declared<Delay> rtt;
  Declared<std::string> line;
  Declared<std::int64_t> unit;
};

// What a type of controller can do. Everything left out is unknown and not checked.
struct ControllerModel {
  std::string file;
  Declared<std::vector<Located<std::string>>> protocols;
  Declared<std::vector<Located<std::int64_t>>> functions;
  Declared<std::int64_t> max_transactions;
  Declared<std::int64_t> max_words;
  Declared<std::int64_t> max_slaves;
  Declared<std::int64_t> max_connections;
  Declared<Duration> period_step;
  Declared<Duration> min_period;
  Declared<bool> align32;
  Declared<std::string> series;
  std::vector<std::pair<Located<std::string>, Located<std::string>>> needs;
};

// How the tool with which a controller is configured writes addresses: as the protocol does, from
// 1, as a reference of five (where they do) or six digits, in hexadecimal.
enum class ToolCounts : std::uint8_t { from_0, from_1, reference, reference6, hex };

// A controller: master of lines and connections, and slave to its peers where it `answers`.
struct Controller {
  std::string name;
  Range place;
  Declared<Duration> scan;
  Declared<bool> router;
  Declared<std::int64_t> in_flight;
  Declared<Sends> sends;
  Declared<Duration> jitter;  // a request may start, or its end be noticed, so much late
  Declared<std::string> address;
  Declared<std::string> model_file;
  Declared<WordOrder> word_order;
  Declared<std::vector<Located<std::string>>> tags_files;
  Declared<ToolCounts> tool_counts;
  Declared<Duration> tool_times;      // what 1 means in it
  Declared<std::string> fingerprint;  // the word in which its program tells what was loaded
  std::optional<ControllerModel> model;
  std::optional<TagTable> tags;  // nothing where none are declared, or the file cannot be opened
  std::vector<MemoryArea> memory;
  std::vector<Answer> answers;
};

// What to type for an address; empty where the plan does not say how its tool counts.
[[nodiscard]] std::string to_type(const Controller& controller, Address address);
// The same of a time: "15", or "12.5" where it is no whole number of the tool's steps.
[[nodiscard]] std::string to_type(const Controller& controller, Duration time);

}  // namespace greymet::model
