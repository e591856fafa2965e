#include "figures/gnuplot.h"

#include <fmt/format.h>

#include "model/utf8_text.h"

namespace greymet::figures {
namespace {

constexpr double points_per_pixel = 0.75;  // pngcairo sizes are points at 96 dpi, svg sizes pixels

}  // namespace

std::string_view extension(PictureFormat format) {
  return format == PictureFormat::svg ? ".svg" : ".png";
}

std::string script_text(std::string_view text) {
  const std::string shown = model::shown(text);
  if (shown.find('\'') == std::string::npos) return "'" + shown + "'";
  // single quotes doubled in single quotes are not always read back; in double quotes much is
  // special, so that all but letters are written as octal numbers: digits too, as a number takes
  // those behind it
  constexpr std::string_view plain = " abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ";
  constexpr unsigned ascii = 0x80;
  std::string out = "\"";
  for (const char c : shown) {
    const auto byte = static_cast<unsigned char>(c);
    const bool as_it_is = byte >= ascii || plain.find(c) != std::string_view::npos;
    out += as_it_is ? std::string(1, c) : fmt::format("\\{:03o}", byte);
  }
  return out + "\"";
}

std::string quoted_tic(std::string_view text) {
  std::string doubled;
  for (char c : text) {
    doubled += c;
    if (c == '%') doubled += c;
  }
  return script_text(doubled);
}

std::string font(PictureFormat format, double pixels) {
  const double size = format == PictureFormat::svg ? pixels : pixels * points_per_pixel;
  return fmt::format("'DejaVu Sans,{:g}'", size);
}

std::string heading(std::string_view title, std::string_view subtitle, double left,
                    PictureFormat format) {
  return fmt::format(
      "set label 1 {} at screen {:g}, screen 0.955 font {} textcolor rgb C_TXT\n"
      "set label 2 {} at screen {:g}, screen 0.905 textcolor rgb C_SUB\n",
      script_text(title), left, font(format, 22), script_text(subtitle), left);
}

std::string common_look(PictureFormat format) {
  const bool svg = format == PictureFormat::svg;
  return fmt::format(
      "set terminal {} size 1280,800 {}font {} background '#FFFFFF' noenhanced linewidth 1.2\n"
      "set output FIGURE\n"
      "set encoding utf8\n"
      "C_REQ='#1F4B7A'; C_RSP='#6BA6D6'; C_TURN='#CDD4DB'; C_BAD='#D9711C'; C_MUTE='#A9B2BC'\n"
      "C_TXT='#2B3138'; C_SUB='#5A646E'; C_GRID='#E3E7EB'; C_BAND='#F6F8FA'\n"
      "set border 3 lc rgb C_MUTE lw 1\n"
      "set tics nomirror out scale 0.6 textcolor rgb C_TXT\n"
      "set xlabel textcolor rgb C_TXT\n"
      "set key textcolor rgb C_TXT\n"
      "set style fill solid 1.0 noborder\n"
      "TX = {}\n",
      svg ? "svg" : "pngcairo", svg ? "dynamic " : "", font(format, 16), svg ? "0" : "-0.3");
}

}  // namespace greymet::figures
