// Drawing through gnuplot: scripts in, the bytes of pictures out.
#pragma once

#include <chrono>
#include <cstddef>
#include <functional>
#include <string>
#include <tl/expected.hpp>
#include <vector>

#include "figures/gnuplot.h"

namespace greymet::figures {

// A script that begins with common_look() of the same format.
struct Script {
  PictureFormat format = PictureFormat::svg;
  std::string text;
};

// Bytes of a picture, or one line that says why there is none.
using Picture = tl::expected<std::string, std::string>;

// What a picture may take. Beyond it gnuplot is stopped.
struct RenderLimits {
  std::chrono::milliseconds time{30'000};
  std::size_t bytes = std::size_t{64} << 20;
};

// Draws all of them, one result each, in few runs of gnuplot: a script that fails does not keep the
// others from being drawn. gnuplot sees none of the user's settings, and what it makes is checked
// before it counts. `progress` takes 0..1. No files are made on the way. Not for several threads at
// a time: SIGPIPE is ignored meanwhile.
[[nodiscard]] std::vector<Picture> render(const std::vector<Script>& scripts,
                                          const std::function<void(double)>& progress = {},
                                          const RenderLimits& limits = {});
[[nodiscard]] Picture render(PictureFormat format, std::string script);

}  // namespace greymet::figures
