// The register table of a slave, as its manual gives it, and fast questions about it.
#pragma once

#include <array>
#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <unordered_map>
#include <unordered_set>
#include <vector>

#include <tl/expected.hpp>

#include "model/address.h"
#include "model/data_type.h"
#include "model/range.h"

namespace greymet::model {

// What a master may do with a point.
enum class Access : std::uint8_t { read, write, read_write };

// What a device calls one raw value of a point, or one bit of a word of bits: 0 = off.
struct ValueName {
  std::int64_t raw = 0;
  std::string name;
};

// Columns whose cells findings point at.
enum class PointCell : std::uint8_t { address, type, bit, word_order, factor, offset, min, max };
inline constexpr std::size_t point_cells = 8;

// How a manual writes addresses: 72, 0x0048, 40073 or 400073.
enum class AddressLook : std::uint8_t { decimal, hexadecimal, reference5, reference6 };

// One value that the slave offers.
struct Point {
  std::string name;
  Address address;
  DataType type;
  std::optional<std::uint32_t> bit;  // for a boolean in a register, 0 = least significant
  std::optional<WordOrder> word_order;
  double factor = 1;  // engineering value = raw x factor + offset
  double offset = 0;
  std::optional<std::int64_t> decimals;
  std::string unit;
  std::optional<double> min;  // engineering range
  std::optional<double> max;
  Access access = Access::read_write;
  AddressLook look = AddressLook::decimal;  // of its address in the map
  std::string note;
  std::vector<ValueName> names;  // by raw value; each once
  // functions that write it (`write_fc`), in the order of the map; empty where nothing is said
  std::vector<std::int64_t> write_functions;
  bool wears = false;              // its memory stands a limited number of writes
  std::vector<std::string> extra;  // cells of unknown columns, in the order of `extra_columns`
  Range place;                     // of the row's first cell
  std::array<CellSpot, point_cells> cells{};
};

// The cell of that column; the row where it has none.
[[nodiscard]] Range place_of(const Point& point, PointCell cell);
[[nodiscard]] const CellSpot& spot_of(const Point& point, PointCell cell);

// The address as a manual prints it that counts and looks like this: "73" or "0x0049" where it
// counts from 1. Empty where the look cannot name it.
[[nodiscard]] std::string manual_text(Address address, AddressLook look, Numbering numbering);

// Registers (or bits, in a bit area) that the point takes.
[[nodiscard]] Extent extent_of(const Point& point);

// Reads "0=off; 1=on", also with colons, and commas or bars between; numbers in decimal or as 0x1F.
// Fails with what is wrong: nothing named, a number that is none, one named twice.
[[nodiscard]] tl::expected<std::vector<ValueName>, std::string> value_names_from(
    std::string_view text);
// "0=off; 1=on": as it is read.
[[nodiscard]] std::string names_text(const std::vector<ValueName>& names);
// What the point calls this raw value; of a word of bits all that are set: "run, fault". Empty
// where it has no name.
[[nodiscard]] std::string name_of_value(const Point& point, std::int64_t raw);

// "hr:4..hr:9", or "hr:4" for one register or bit.
[[nodiscard]] std::string range_text(Area area, Extent extent);

// A row that was left out: its finding has been reported. What could be read of it is known.
struct LeftOutRow {
  std::string name;
  std::optional<Area> area;
  std::optional<Extent> extent;  // registers it may have taken
};

// What reading could not take over. Rules keep silent where it may matter.
struct UnreadOfMap {
  std::vector<LeftOutRow> rows;
  std::vector<std::string> columns;  // those that a heading with another name seems to mean
  bool all = false;                  // no table at all
};

// True if `name` matches a pattern of `points`, in which '*' stands for any characters.
[[nodiscard]] bool matches_pattern(std::string_view pattern, std::string_view name);

// An immutable register table with its index. Points keep the order of the file.
class RegisterMap {
 public:
  RegisterMap() = default;
  // Points whose extent leaves the area are the reader's error; they are cut at 65536 here.
  RegisterMap(std::string file, std::vector<Point> points, std::vector<std::string> extra_columns,
              const UnreadOfMap& unread = {});

  [[nodiscard]] const std::string& file() const { return file_; }
  [[nodiscard]] const std::vector<Point>& points() const { return points_; }
  [[nodiscard]] const std::vector<std::string>& extra_columns() const { return extra_columns_; }

  // The point of that name, or null.
  [[nodiscard]] const Point* find(std::string_view name) const;
  // Places in points() of those whose names match, in ascending order.
  [[nodiscard]] std::vector<std::size_t> matching(std::string_view pattern) const;
  // Points that touch [first, end), by address. Pointers live as long as the map.
  [[nodiscard]] std::vector<const Point*> points_touching(Area area, Extent block) const;
  [[nodiscard]] bool point_starts_at(Area area, std::uint32_t offset) const;
  // True if some point's last register is `end` - 1.
  [[nodiscard]] bool point_ends_at(Area area, std::uint32_t end) const;
  [[nodiscard]] bool lists(Area area, std::uint32_t offset) const;
  // Parts of the block that no point covers, by address.
  [[nodiscard]] std::vector<Extent> holes_in(Area area, Extent block) const;
  // The unbroken run of listed registers around `offset`.
  [[nodiscard]] std::optional<Extent> run_around(Area area, std::uint32_t offset) const;

  // True if a row that could not be read may have listed some of the block.
  [[nodiscard]] bool may_hide(Area area, Extent block) const;
  // True if a row that could not be read may have been this point.
  [[nodiscard]] bool may_hide(std::string_view point) const;
  [[nodiscard]] bool may_hide_any(const std::function<bool(std::string_view)>& matches) const;
  // True if a heading that resembles this column stands where it should be.
  [[nodiscard]] bool misreads(std::string_view column) const;

 private:
  struct AreaIndex {
    std::vector<std::uint32_t> by_address;  // indices of points, by first register
    std::vector<Extent> runs;               // merged, by address
    std::vector<std::uint32_t> ends;        // sorted ends of points
    std::uint32_t longest = 0;              // registers of the longest point
  };
  [[nodiscard]] const AreaIndex& index(Area area) const {
    return areas_[static_cast<std::size_t>(area)];
  }

  std::string file_;
  std::vector<Point> points_;
  std::vector<std::string> extra_columns_;
  std::array<AreaIndex, 4> areas_;
  std::unordered_map<std::string, std::size_t> by_name_;
  struct Hidden {
    bool anywhere = false;
    std::array<bool, 4> in_area{};
    std::array<std::vector<Extent>, 4> runs;  // merged, by address
    bool unnamed = false;
    std::unordered_set<std::string> names;
    std::vector<std::string> columns;
  };
  Hidden hidden_;
};

}  // namespace greymet::model
