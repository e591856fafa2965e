// What keys make of the view of a run.
#include <algorithm>
#include <array>

#include "live_view.h"

namespace greymet::cli {

LiveView::Key LiveView::key_of(std::string_view sequence) {
  struct Known {
    std::string_view bytes;
    Key key;
  };
  // ECMA-48 and what terminals send in its place
  constexpr std::array<Known, 16> known{{{"[A", Key::up},
                                         {"OA", Key::up},
                                         {"[B", Key::down},
                                         {"OB", Key::down},
                                         {"[5~", Key::page_up},
                                         {"[6~", Key::page_down},
                                         {"[H", Key::first},
                                         {"OH", Key::first},
                                         {"[1~", Key::first},
                                         {"[7~", Key::first},
                                         {"[F", Key::last},
                                         {"OF", Key::last},
                                         {"[4~", Key::last},
                                         {"[8~", Key::last},
                                         {"[Z", Key::tab},
                                         {"", Key::escape}}};
  for (const Known& each : known) {
    if (each.bytes == sequence) return each.key;
  }
  return Key::none;
}

bool LiveView::press(std::string_view keys) {
  constexpr char escape = 0x1b;
  constexpr std::size_t longest = 8;
  bool ends = false;
  for (const char c : keys) {
    if (begun_.empty()) {
      if (c == escape) {
        begun_ = c;
      } else {
        ends = press(c) || ends;
      }
      continue;
    }
    if (c == escape) {  // the one before stood alone
      press(Key::escape);
      continue;
    }
    begun_ += c;
    const bool introduces = begun_.size() == 2 && (c == '[' || c == 'O');
    const bool goes_on = begun_.size() > 2 && begun_[1] == '[' && c >= 0x20 && c < 0x40;
    if ((introduces || goes_on) && begun_.size() < longest) continue;
    press(key_of(std::string_view(begun_).substr(1)));
    begun_.clear();
  }
  // a sequence comes in one piece from a keyboard
  if (begun_.size() == 1) {
    press(Key::escape);
    begun_.clear();
  }
  return ends;
}

void LiveView::press(Key key) {
  constexpr std::ptrdiff_t very_far = 1'000'000;
  const auto page = static_cast<std::ptrdiff_t>(std::max<std::size_t>(2, height_) - 1);
  switch (key) {
    case Key::up: return move(-1);
    case Key::down: return move(1);
    case Key::page_up: return move(-page);
    case Key::page_down: return move(page);
    case Key::first: return move(-very_far);
    case Key::last: return move(very_far);
    case Key::tab:
      in_values_ = !in_values_;
      chosen_by_key_ = true;
      return;
    case Key::escape:
      types_filter_ = false;
      filter_.clear();
      in_values_ = false;
      chosen_by_key_ = false;
      return;
    case Key::none: return;
  }
}

bool LiveView::press(char c) {
  constexpr char backspace = 0x08;
  constexpr char rubout = 0x7f;
  constexpr std::size_t longest_filter = 40;
  if (types_filter_) {
    if (c == '\r' || c == '\n') {
      types_filter_ = false;
    } else if (c == backspace || c == rubout) {
      if (!filter_.empty()) filter_.pop_back();
    } else if (c >= ' ' && filter_.size() < longest_filter) {
      filter_ += c;
    }
    return false;
  }
  switch (c) {
    case '\t': press(Key::tab); break;
    case '/':
      types_filter_ = true;
      filter_.clear();
      break;
    case 'o': failing_first_ = !failing_first_; break;
    case 'q': return true;
    default: break;
  }
  return false;
}

void LiveView::move(std::ptrdiff_t by) {
  (in_values_ ? value_moved_ : moved_) += by;
}

}  // namespace greymet::cli
