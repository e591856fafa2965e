#include "figures/memory_map.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include <fmt/format.h>

#include "model/memory_report.h"
#include "model/resolved_plan.h"
#include "model/utf8_text.h"

namespace greymet::figures {

using model::MemoryPurpose;

namespace {

struct MemoryLook {
  MapPart part;
  std::string_view name;
  double low;  // of the box, from the row's centre line
  double high;
  std::string_view style;
};

// Lightness, height and hatch differ as well as colour, so that it reads in grey. Data lie in the
// upper lane of a row, what else is there in the lower one, and an overlap takes both.
constexpr std::array memory_looks{
    MemoryLook{MapPart::listed, "listed, not used", -0.16, 0.44,
               "lc rgb '#FFFFFF' fs solid 1.0 border lc rgb C_MUTE"},
    MemoryLook{MapPart::exposed, "exposed to peers", -0.42, 0.46,
               "lc rgb C_TURN fs solid 1.0 border lc rgb C_SUB"},
    MemoryLook{MapPart::read, "read", -0.12, 0.40,
               "lc rgb C_RSP fs solid 1.0 border lc rgb '#FFFFFF'"},
    MemoryLook{MapPart::written, "write", -0.12, 0.40,
               "lc rgb C_REQ fs solid 1.0 border lc rgb '#FFFFFF'"},
    MemoryLook{MapPart::overlap, "overlap", -0.42, 0.46,
               "lc rgb C_BAD fs solid 1.0 border lc rgb C_TXT"},
    MemoryLook{MapPart::copied, "program copy", -0.40, -0.18,
               "lc rgb C_SUB fs pattern 4 border lc rgb C_SUB"},
    MemoryLook{MapPart::signals, "status, heartbeat, trigger", -0.40, -0.16,
               "lc rgb C_TXT fs solid 1.0 border lc rgb '#FFFFFF'"},
};

MapPart part_of(MemoryPurpose purpose) {
  switch (purpose) {
    case MemoryPurpose::read: return MapPart::read;
    case MemoryPurpose::sent: return MapPart::written;
    case MemoryPurpose::status:
    case MemoryPurpose::heartbeat:
    case MemoryPurpose::trigger:
    case MemoryPurpose::gate:
    case MemoryPurpose::fingerprint: return MapPart::signals;
    case MemoryPurpose::copy_source:
    case MemoryPurpose::copy_target: return MapPart::copied;
    case MemoryPurpose::written_by_peer:
    case MemoryPurpose::read_by_peer: return MapPart::exposed;
  }
  return MapPart::read;
}

// A stretch of one store, not yet folded into rows.
struct Stretch {
  std::size_t store = 0;
  double from = 0;
  double to = 0;
  MapPart part = MapPart::read;
  std::string label;
};

constexpr std::size_t most_rows_of_memory = 18;
constexpr std::size_t most_rows_of_slave = 8;
constexpr std::array<std::int64_t, 12> row_lengths{20,   50,   100,   200,   500,   1000,
                                                   2000, 5000, 10000, 20000, 50000, 100000};

using RowKey = std::pair<std::size_t, std::int64_t>;  // store, number of the row in it

std::map<RowKey, std::size_t> rows_used(const std::vector<Stretch>& stretches, std::int64_t per_row,
                                        std::size_t row_limit) {
  std::map<RowKey, std::size_t> rows;
  for (const Stretch& s : stretches) {
    const auto first = static_cast<std::int64_t>(std::floor(s.from)) / per_row;
    const auto last = static_cast<std::int64_t>(std::ceil(s.to) - 1) / per_row;
    for (std::int64_t row = first; row <= last; ++row) {
      rows[{s.store, row}] = 0;
      if (rows.size() > row_limit) return rows;
    }
  }
  std::size_t number = 0;
  for (auto& [key, index] : rows) index = number++;
  return rows;
}

// Folds stretches into rows; `name` gives a row's label from its store and first number.
template <class Name>
void fold(const std::vector<Stretch>& stretches, std::size_t row_limit, const Name& name,
          MemoryMap& map) {
  std::map<RowKey, std::size_t> rows;
  for (const std::int64_t length : row_lengths) {
    map.per_row = length;
    rows = rows_used(stretches, length, row_limit);
    if (rows.size() <= row_limit) break;
  }
  map.rows.resize(rows.size());
  for (const auto& [key, index] : rows) map.rows[index] = name(key.first, key.second * map.per_row);
  const auto per_row = static_cast<double>(map.per_row);
  const double least = per_row / 300;  // what can still be seen
  for (const Stretch& s : stretches) {
    for (double from = s.from; from < s.to;) {
      const double row = std::floor(from / per_row);
      const double to = std::min(s.to, (row + 1) * per_row);
      const auto found = rows.find({s.store, static_cast<std::int64_t>(row)});
      if (found == rows.end()) break;
      const double start = from - row * per_row;
      map.boxes.push_back({found->second, start,
                           std::min(std::max(to - row * per_row, start + least), per_row), s.part,
                           s.label});
      from = to;
    }
  }
}

// Pixels that a label needs, with some air.
double pixels_of(std::string_view label) {
  constexpr double per_character = 6.6;
  return per_character * static_cast<double>(label.size()) + 4;
}

std::string boxes_data(const MemoryMap& map, const MemoryLook& look) {
  std::string data;
  const auto rows = static_cast<double>(map.rows.size());
  for (const MapBox& box : map.boxes) {
    if (box.part != look.part) continue;
    const double y = rows - static_cast<double>(box.row);
    data += fmt::format("{:g} {:g} {:g} {:g} {:g} {:g}\n", (box.from + box.to) / 2, y, box.from,
                        box.to, y + look.low, y + look.high);
  }
  return data;
}

// Not as data of a plot: there a name would have to keep to the rules of data files.
std::string labels_script(const MemoryMap& map, MapPart part, std::string_view colour,
                          PictureFormat format, int& number) {
  constexpr double plot_pixels = 1000;
  std::string script;
  const auto rows = static_cast<double>(map.rows.size());
  for (const MapBox& box : map.boxes) {
    if (box.part != part) continue;
    const double pixels = (box.to - box.from) / static_cast<double>(map.per_row) * plot_pixels;
    if (box.label.empty() || pixels_of(model::shown(box.label)) > pixels) continue;
    script +=
        fmt::format("set label {} {} at {:g},{:g} center font {} textcolor rgb {} front\n",
                    number++, script_text(box.label), (box.from + box.to) / 2,
                    rows - static_cast<double>(box.row) + (part == MapPart::overlap ? 0.02 : 0.14),
                    font(format, 12), colour);
  }
  return script;
}

}  // namespace

MemoryMap memory_map_of(const model::ResolvedPlan& resolved,
                        const model::ControllerMemory& memory) {
  const model::MemoryLayout& layout = resolved.layouts[memory.controller];
  MemoryMap map;
  std::vector<Stretch> stretches;
  std::size_t clashes = 0;
  std::size_t uses = 0;
  std::vector<std::string> sums;
  for (std::size_t i = 0; i < memory.stores.size(); ++i) {
    const model::StoreReport& store = memory.stores[i];
    const double unit = store.words ? static_cast<double>(model::bits_per_word) : 1;
    const auto place = [&](const model::BitRange& bits, MapPart part, std::string label) {
      stretches.push_back({i, static_cast<double>(bits.first) / unit,
                           static_cast<double>(bits.end) / unit, part, std::move(label)});
    };
    for (const model::MemoryRow& row : store.rows) {
      place(row.bits, part_of(row.purpose), row.clash ? std::string() : row.by);
    }
    for (const model::MemoryClash& clash : store.clashes) {
      place(clash.bits, MapPart::overlap,
            fmt::format("{} / {}", clash.first.name, clash.second.name));
    }
    clashes += store.clashes.size();
    uses += store.rows.size();
    sums.push_back(fmt::format("{}: {} of {} {} used", store.name, store.used, store.count,
                               store.words ? "words" : "bits"));
  }
  fold(
      stretches, most_rows_of_memory,
      [&](std::size_t store, std::int64_t number) {
        const model::StoreReport& in = memory.stores[store];
        return layout.name_of(in.area, in.first + number);
      },
      map);
  map.title = fmt::format("Memory of controller {}", layout.controller().name);
  map.subtitle = fmt::format(
      "{}; {} ranges, {}", fmt::join(sums, ", "), uses,
      clashes == 0 ? "no overlap" : fmt::format("{} overlap{}", clashes, clashes == 1 ? "" : "s"));
  map.axis = "words or bits from the row's first address";
  return map;
}

MemoryMap memory_map_of(const model::ResolvedPlan& resolved, const model::SlaveMemory& memory) {
  const model::Slave& slave = resolved.plan.slaves[memory.slave];
  MemoryMap map;
  std::vector<Stretch> stretches;
  std::size_t clashes = 0;
  std::size_t transactions = 0;
  std::size_t unused = 0;
  for (std::size_t i = 0; i < memory.areas.size(); ++i) {
    const model::DeviceAreaReport& area = memory.areas[i];
    const auto place = [&](const model::Extent& e, MapPart part, std::string label) {
      stretches.push_back(
          {i, static_cast<double>(e.first), static_cast<double>(e.end), part, std::move(label)});
    };
    for (const model::Extent& run : area.listed) place(run, MapPart::listed, "");
    for (const model::DeviceRow& row : area.rows) {
      place(row.extent, row.is_read ? MapPart::read : MapPart::written,
            row.clash ? std::string() : row.by);
    }
    for (const model::Extent& twice : area.written_twice) place(twice, MapPart::overlap, "");
    clashes += area.written_twice.size();
    transactions += area.rows.size();
    unused += area.unused.size();
  }
  fold(
      stretches, most_rows_of_slave,
      [&](std::size_t area, std::int64_t number) {
        return fmt::format("{}:{}", short_name(memory.areas[area].area), number);
      },
      map);
  map.title = fmt::format("Registers of slave {}", slave.name);
  map.subtitle = fmt::format(
      "{} blocks, {} listed points that no transaction moves, {}", transactions, unused,
      clashes == 0 ? "nothing written twice" : fmt::format("{} ranges written twice", clashes));
  map.axis = "registers or bits from the row's first address";
  return map;
}

std::string memory_map_script(const MemoryMap& map, PictureFormat format) {
  std::string s = common_look(format);
  const auto rows = static_cast<double>(map.rows.size());
  s += fmt::format("set label 1 {} at screen 0.165, screen 0.955 font {} textcolor rgb C_TXT\n",
                   script_text(map.title), font(format, 22));
  s += fmt::format("set label 2 {} at screen 0.165, screen 0.905 textcolor rgb C_SUB\n",
                   script_text(map.subtitle));
  s += fmt::format("set xrange [0:{}]\nset yrange [0.4:{:g}]\n", map.per_row, rows + 0.6);
  s += fmt::format("set xtics {:g} offset TX,0\nset ytics (",
                   static_cast<double>(map.per_row) / (map.per_row % 10 == 0 ? 10 : 8));
  for (std::size_t i = 0; i < map.rows.size(); ++i) {
    s += fmt::format("{}{} {:g}", i > 0 ? ", " : "", quoted_tic(map.rows[i]),
                     rows - static_cast<double>(i));
  }
  s += fmt::format(") scale 0 font {}\nset xlabel {} offset 0,-0.4\n", font(format, 15),
                   script_text(map.axis));
  s += "set grid xtics lc rgb C_GRID lw 1 lt 1\nset lmargin at screen 0.165\nset rmargin at screen "
       "0.965\nset tmargin at screen 0.87\nset bmargin at screen 0.185\nset key at screen 0.565, "
       "screen 0.035 center horizontal Left reverse samplen 1.8 width 0.5 maxrows 1\nset datafile "
       "separator whitespace\n";
  for (std::size_t i = 1; i <= map.rows.size(); ++i) {
    s += fmt::format(
        "set object {0} rect from 0,{0}-0.44 to {1},{0}+0.48 fc rgb C_BAND fs solid noborder "
        "behind\n",
        i, map.per_row);
  }
  if (map.rows.empty()) {
    s += "set label 3 'nothing lies here' at graph 0.5, graph 0.5 center textcolor rgb C_SUB\n";
    return s + "set xrange [0:1]\nset yrange [0:1]\nplot NaN notitle\n";
  }
  std::string plots;
  const auto add = [&plots](const std::string& plot) {
    plots += (plots.empty() ? "plot " : ", ") + plot;
  };
  for (const MemoryLook& look : memory_looks) {
    const std::string data = boxes_data(map, look);
    if (data.empty()) continue;
    const auto number = static_cast<int>(look.part);
    s += fmt::format("$part{} << EOD\n{}EOD\n", number, data);
    add(fmt::format("$part{} using 1:2:3:4:5:6 with boxxyerror {} title '{}'", number, look.style,
                    look.name));
  }
  int number = 100;  // of labels, behind those of headings
  for (const auto& [part, colour] :
       {std::pair(MapPart::exposed, "C_TXT"), std::pair(MapPart::read, "C_TXT"),
        std::pair(MapPart::written, "'#FFFFFF'"), std::pair(MapPart::overlap, "C_TXT")}) {
    s += labels_script(map, part, colour, format, number);
  }
  return s + plots + "\n";
}

}  // namespace greymet::figures
