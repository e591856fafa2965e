// What every figure's script for gnuplot has in common; gnuplot_process.h draws it.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

namespace greymet::figures {

// What a script has gnuplot write.
enum class PictureFormat : std::uint8_t { svg, png };

// Terminal, palette and common look; every figure's script begins with it. Pictures are 1280x800
// and go to the file that the variable FIGURE names.
[[nodiscard]] std::string common_look(PictureFormat format);
// The name as a text of gnuplot in which nothing is special, as model::shown() shows it.
[[nodiscard]] std::string script_text(std::string_view text);
// The same for the label of a tic, in which gnuplot would take % for a format.
[[nodiscard]] std::string quoted_tic(std::string_view text);
// Title and subtitle above the figure, from `left` of the screen (0..1) on.
[[nodiscard]] std::string heading(std::string_view title, std::string_view subtitle, double left,
                                  PictureFormat format);
// Font of a size in pixels, whatever the format.
[[nodiscard]] std::string font(PictureFormat format, double pixels);

// ".svg", ".png"
[[nodiscard]] std::string_view extension(PictureFormat format);

}  // namespace greymet::figures
