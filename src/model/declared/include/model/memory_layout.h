// Where the words and bits of a controller really lie.
//
// Every memory address is brought down to bits of a store, so that a bit area inside a word area
// overlaps where it should. A word area is a store of 16 bits a word; a bit area is a store of its
// own, or the bits of the word area it lies `inside`: bit n is bit (n mod width) of word
// (n div width).
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <tl/expected.hpp>
#include <vector>

#include "model/address.h"
#include "model/memory_range.h"

namespace greymet::model {

struct Controller;

// A memory address as a text names it: "%MW200", "%MW200.3", or only the area, "%MW".
struct MemorySpot {
  std::size_t area = 0;                // index into Controller::memory
  std::optional<std::int64_t> number;  // left out: "the next free range"
  std::optional<std::uint32_t> bit;
};

// Why a text is no memory address of this controller.
enum class MemoryError : std::uint8_t { no_such_area, not_an_address, outside };

// A failure with its message, ready to be shown.
struct MemoryFailure {
  MemoryError error = MemoryError::not_an_address;
  std::string message;
  std::optional<std::string> meant = {};  // the address that only its case, blanks or % differ from
  // Where it leaves an area: which, so that all that leave it are one cause.
  std::string area = {};
};

// The layout of one controller's memory. Holds a reference: the controller must outlive it.
class MemoryLayout {
 public:
  explicit MemoryLayout(const Controller& controller);

  // Reads a text such as "%MW200.3"; the longest area name that fits wins.
  [[nodiscard]] tl::expected<MemorySpot, MemoryFailure> read(std::string_view text) const;
  // `count` words or bits from `number` on; fails if they leave the area.
  [[nodiscard]] tl::expected<MemoryRange, MemoryFailure> range(std::size_t area,
                                                               std::int64_t number,
                                                               std::int64_t count) const;
  // The single bit a spot names: a bit of a word, or a member of a bit area.
  [[nodiscard]] tl::expected<MemoryRange, MemoryFailure> single_bit(const MemorySpot& spot) const;
  // "%MW200", in the area's own radix.
  [[nodiscard]] std::string name_of(std::size_t area, std::int64_t number) const;
  // "%MW200..%MW205", "%MX40", "%MW200.3"
  [[nodiscard]] std::string name_of(const MemoryRange& range) const;
  // Names bits of a store in the area that owns it: "%MW102..%MW103", "%MW90.4".
  [[nodiscard]] std::string name_of(const BitRange& bits) const;
  [[nodiscard]] const Controller& controller() const { return *controller_; }

  // The address at which the area answers a peer in the device area `served`, if it does.
  [[nodiscard]] std::optional<std::uint32_t> served_at(std::size_t area, Area served) const;
  // The memory behind registers or bits [offset, offset + count) that a peer names, if one area
  // serves them all.
  [[nodiscard]] std::optional<MemoryRange> serving(Area served, std::uint32_t offset,
                                                   std::uint32_t count) const;
  // True if any area serves `served` at all.
  [[nodiscard]] bool serves(Area served) const;

 private:
  [[nodiscard]] std::uint64_t first_bit(std::size_t area, std::int64_t number) const;
  [[nodiscard]] std::optional<std::string> meant_by(std::string_view text) const;
  [[nodiscard]] std::string other_size(std::string_view text) const;
  [[nodiscard]] std::optional<std::size_t> area_named(std::string_view name) const;
  // The first areas, for a message.
  [[nodiscard]] std::string some_names() const;

  struct Service {
    Area area = Area::holding_register;
    std::uint32_t offset = 0;
  };
  const Controller* controller_;
  std::map<std::string, std::size_t, std::less<>> names_;
  std::multimap<std::string, std::size_t> spellings_;  // names without % and in small letters
  std::size_t longest_name_ = 0;
  std::vector<std::size_t> store_of_;           // per area
  std::vector<std::vector<Service>> services_;  // per area
};

}  // namespace greymet::model
