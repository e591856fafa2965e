#include "figures/path_histogram.h"

#include <algorithm>
#include <vector>

#include <fmt/format.h>

#include "model/duration_text.h"
#include "timing/paths.h"

namespace greymet::figures {

using model::to_ms;

namespace {

constexpr std::size_t bars = 60;

struct Mark {
  std::string_view name;
  double at = 0;
  std::string_view style;
};

}  // namespace

std::string path_histogram_script(const timing::PathReport& path, PictureFormat format) {
  const timing::AgeDistribution& ages = *path.ages;
  const double bin_ms = to_ms(ages.bin);
  const std::size_t joined = std::max<std::size_t>(1, (ages.histogram.size() + bars - 1) / bars);
  std::string data;
  double highest = 0;
  for (std::size_t i = 0; i < ages.histogram.size(); i += joined) {
    double share = 0;
    const std::size_t end = std::min(i + joined, ages.histogram.size());
    for (std::size_t k = i; k < end; ++k) share += 100 * ages.histogram[k];
    highest = std::max(highest, share);
    data += fmt::format("{:g} {:g} {:g} {:g} 0 {:g}\n", bin_ms * static_cast<double>(i), share,
                        bin_ms * static_cast<double>(i), bin_ms * static_cast<double>(end), share);
  }
  std::vector<Mark> marks{{"half of the time", to_ms(ages.median), "lc rgb C_TXT lw 1.4 dt 3"},
                          {"99 %", to_ms(ages.p99), "lc rgb C_TXT lw 1.4 dt 2"}};
  if (path.simulated) marks.push_back({"longest", to_ms(*path.simulated), "lc rgb C_TXT lw 1.6"});
  if (path.bound) marks.push_back({"bound", to_ms(*path.bound), "lc rgb C_REQ lw 2.4"});
  if (path.budget) marks.push_back({"budget", to_ms(*path.budget), "lc rgb C_BAD lw 2.4 dt 4"});
  std::sort(marks.begin(), marks.end(), [](const Mark& a, const Mark& b) { return a.at < b.at; });
  double widest = to_ms(ages.longest);
  for (const Mark& mark : marks) widest = std::max(widest, mark.at);
  std::string s = common_look(format);
  s +=
      heading(fmt::format("Path {}: how old the value is", path.name),
              fmt::format("share of the time, over durations between shortest and longest and over "
                          "unknown phases; verdict: {}",
                          to_string(path.verdict)),
              0.09, format);
  s += fmt::format(
      "set xrange [0:{:g}]\nset yrange [0:{:g}]\n"
      "set xlabel 'age at the end of the path in ms' offset 0,-0.4\n"
      "set ylabel 'share of the time per bar of {:.3g} ms in percent' textcolor rgb C_TXT\n"
      "set grid ytics lc rgb C_GRID lw 1 lt 1\n"
      "set lmargin at screen 0.09\nset rmargin at screen 0.955\nset tmargin at screen 0.72\n"
      "set bmargin at screen 0.15\nunset key\n",
      widest * 1.06, highest * 1.12, bin_ms * static_cast<double>(joined));
  // names stand above the figure, left of their marks, each higher than the one before: so no mark
  // runs through a name
  for (std::size_t i = 0; i < marks.size(); ++i) {
    const double level = 1.025 + 0.042 * static_cast<double>(i);
    s += fmt::format("set arrow {0} from {1:g}, graph 0 to {1:g}, graph {2:g} nohead {3} front\n",
                     i + 1, marks[i].at, level + 0.016, marks[i].style);
    const bool room = marks[i].at > widest * 0.2;
    s += fmt::format(
        "set label {} '{} {:.0f} ms' at {:g}, graph {:g} {} offset {},0 font {} "
        "textcolor rgb C_TXT\n",
        i + 10, marks[i].name, marks[i].at, marks[i].at, level, room ? "right" : "left",
        room ? "-0.6" : "0.6", font(format, 14));
  }
  return s + "$ages << EOD\n" + data +
         "EOD\nplot $ages using 1:2:3:4:5:6 with boxxyerror lc rgb C_RSP fs solid 1.0 border lc "
         "rgb "
         "C_REQ notitle\n";
}

}  // namespace greymet::figures
