// Drawing through gnuplot: a script in, the bytes of a picture out.
#pragma once

#include <string>
#include <string_view>
#include <tl/expected.hpp>

namespace greymet::figures {

enum class PictureFormat : std::uint8_t { svg, png };

// Terminal, palette and common look; every figure's script begins with it. Pictures are 1280x800.
[[nodiscard]] std::string common_look(PictureFormat format);
// The name in gnuplot's single quotes, in which nothing is special; control characters go.
[[nodiscard]] std::string quoted(std::string_view text);
// The same for the label of a tic, in which gnuplot would take % for a format.
[[nodiscard]] std::string quoted_tic(std::string_view text);
// Title and subtitle above the figure, from `left` of the screen (0..1) on.
[[nodiscard]] std::string heading(std::string_view title, std::string_view subtitle, double left,
                                  PictureFormat format);
// Font of a size in pixels, whatever the format.
[[nodiscard]] std::string font(PictureFormat format, double pixels);

// Runs gnuplot on a script that writes to standard output. The error is one line.
[[nodiscard]] tl::expected<std::string, std::string> render(const std::string& script);

// ".svg", ".png"
[[nodiscard]] std::string_view extension(PictureFormat format);

}  // namespace greymet::figures
