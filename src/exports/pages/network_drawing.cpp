#include "network_drawing.h"

#include <algorithm>
#include <vector>

#include <fmt/format.h>

#include "html.h"
#include "model/resolved_plan.h"
#include "model/utf8_text.h"

namespace greymet::exports {
namespace {

constexpr int drawing_width = 1180;
constexpr int controller_width = 150;
constexpr int box_width = 118;
constexpr int box_height = 40;
constexpr int box_gap = 12;
constexpr int boxes_begin = controller_width + 190;  // of slaves: behind what a line is called
constexpr std::size_t most_letters = 15;

std::string label(std::string_view text) {
  return html(model::shortened(model::shown(text), most_letters));
}

// One way of a controller: what it is called, and who hangs on it.
struct Way {
  std::string name;
  std::string about;
  struct Box {
    std::string name;
    std::string about;
    bool other = false;  // a controller
  };
  std::vector<Box> boxes;
  bool serial = false;
};

class Drawing {
 public:
  explicit Drawing(const model::ResolvedPlan& plan) : plan_(plan) {}

  std::string draw() {
    for (std::size_t c = 0; c < plan_.plan.controllers.size(); ++c) {
      draw_controller(model::ControllerIndex(c));
    }
    return fmt::format(
        "<svg class=\"net\" viewBox=\"0 0 {} {}\" role=\"img\" aria-label=\"controllers, lines and "
        "slaves\" font-family=\"DejaVu Sans, Verdana, sans-serif\">\n{}</svg>\n",
        drawing_width, y_, text_);
  }

 private:
  static std::string unit_text(const std::optional<model::Unit>& unit) {
    return unit ? fmt::format("unit {}", unit->value) : std::string("no unit");
  }

  // Slaves and answering controllers of a line.
  void add_boxes(model::LineIndex line, Way& way) const {
    for (const model::ExchangeSlave& s : plan_.exchange.slaves) {
      if (s.line == line) way.boxes.push_back({s.name, unit_text(s.unit)});
    }
    for (const model::ExchangeController& c : plan_.exchange.controllers) {
      for (const model::ExchangeAnswer& a : c.answers) {
        if (a.line == line) way.boxes.push_back({c.name, unit_text(a.unit), true});
      }
    }
  }

  [[nodiscard]] static std::string line_about(const model::ExchangeLine& line) {
    return fmt::format("{}{}{}", line.mode ? to_string(*line.mode) : "mode not said",
                       line.baud ? fmt::format(" {}", *line.baud) : "",
                       line.format ? " " + to_text(*line.format) : "");
  }

  [[nodiscard]] std::vector<Way> ways_of(model::ControllerIndex c) const {
    std::vector<Way> ways;
    for (std::size_t l = 0; l < plan_.exchange.lines.size(); ++l) {
      const model::ExchangeLine& line = plan_.exchange.lines[l];
      if (line.master != c) continue;
      Way way{"line " + line.name, line_about(line), {}, true};
      add_boxes(model::LineIndex(l), way);
      ways.push_back(std::move(way));
    }
    for (const model::Connection& connection : plan_.exchange.connections) {
      if (connection.controller != c) continue;
      Way way{fmt::format("{}:{}", connection.host, connection.port), "tcp", {}, false};
      if (connection.gateway) {
        way.about = "gateway " + plan_.exchange.gateways[*connection.gateway].name;
        for (std::size_t l = 0; l < plan_.exchange.lines.size(); ++l) {
          if (plan_.exchange.lines[l].via != connection.gateway) continue;
          way.about += ", line " + plan_.exchange.lines[l].name;
          way.serial = true;
          add_boxes(model::LineIndex(l), way);
        }
      }
      add_hosts(connection, c, way);
      ways.push_back(std::move(way));
    }
    return ways;
  }

  void add_hosts(const model::Connection& connection, model::ControllerIndex own, Way& way) const {
    for (const model::ExchangeSlave& s : plan_.exchange.slaves) {
      if (s.host == connection.host && s.port == connection.port) {
        way.boxes.push_back({s.name, unit_text(s.unit)});
      }
    }
    for (const model::ExchangeTransaction& t : plan_.exchange.transactions) {
      if (!t.target.is_peer || t.controller != own || !t.endpoint.connection || t.endpoint.line)
        continue;
      const auto& at = plan_.exchange.connections[*t.endpoint.connection];
      const std::string& name = plan_.exchange.controllers[t.target.index].name;
      const bool known = std::any_of(way.boxes.begin(), way.boxes.end(), [&](const Way::Box& box) {
        return box.other && box.name == name;
      });
      if (&at == &connection && !known) way.boxes.push_back({name, "controller", true});
    }
  }

  void box(int x, int y, int w, std::string_view name, std::string_view about, bool strong) {
    text_ += fmt::format(
        "<rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\" fill=\"var(--{})\" "
        "stroke=\"var(--{})\" "
        "stroke-width=\"{}\"/><text x=\"{}\" y=\"{}\" font-size=\"13\" font-weight=\"600\" "
        "fill=\"var(--ink)\">{}</text><text x=\"{}\" y=\"{}\" font-size=\"11\" "
        "fill=\"var(--soft)\">{}</text>\n",
        x, y, w, box_height, strong ? "band" : "card", strong ? "head" : "rule", strong ? 2 : 1.2,
        x + 8, y + 17, label(name), x + 8, y + 32, label(about));
  }

  void line(int x1, int y1, int x2, int y2, bool serial) {
    text_ += fmt::format(
        "<line x1=\"{}\" y1=\"{}\" x2=\"{}\" y2=\"{}\" stroke=\"var(--head)\" "
        "stroke-width=\"{}\"{}/>\n",
        x1, y1, x2, y2, serial ? 3 : 1.6, serial ? "" : " stroke-dasharray=\"7 4\"");
  }

  void draw_controller(model::ControllerIndex c) {
    const int top = y_;
    const auto ways = ways_of(c);
    const model::ExchangeController& controller = plan_.exchange.controllers[c];
    const auto& address = plan_.plan.controllers[c].address;
    const int trunk = controller_width + 16;
    const int middle = top + 4 + box_height / 2;
    int first = middle;
    int last = middle;
    for (const Way& way : ways) {
      last = draw_way(way, trunk);
      first = std::min(first, last);
    }
    if (!ways.empty()) {
      line(trunk, first, trunk, std::max(last, middle), true);
      line(controller_width, middle, trunk, middle, true);
    }
    box(1, top + 4, controller_width, controller.name,
        address ? address->value : std::string("controller"), true);
    y_ = std::max(y_, top + box_height + 12) + 14;
  }

  // Its slaves in rows; the line runs above them. Gives where it leaves the trunk.
  int draw_way(const Way& way, int trunk) {
    constexpr int row_height = box_height + 26;
    const auto per_row =
        static_cast<std::size_t>((drawing_width - boxes_begin) / (box_width + box_gap));
    const int bus = y_ + 14;
    text_ += fmt::format(
        "<text x=\"{}\" y=\"{}\" font-size=\"12\" font-weight=\"600\" fill=\"var(--ink)\">{}</text>"
        "<text x=\"{}\" y=\"{}\" font-size=\"11\" fill=\"var(--soft)\">{}</text>\n",
        trunk + 8, bus + 17, html(model::shortened(model::shown(way.name), 22)), trunk + 8,
        bus + 32, html(model::shortened(model::shown(way.about), 26)));
    const std::size_t rows = std::max<std::size_t>(1, (way.boxes.size() + per_row - 1) / per_row);
    for (std::size_t row = 0; row < rows; ++row) {
      const int y = bus + static_cast<int>(row) * row_height;
      const std::size_t first = row * per_row;
      const std::size_t count =
          std::min(per_row, way.boxes.size() - std::min(first, way.boxes.size()));
      if (count == 0) break;
      const int end =
          boxes_begin + static_cast<int>(count - 1) * (box_width + box_gap) + box_width / 2;
      line(row == 0 ? trunk : boxes_begin - 14, y, end, y, way.serial);
      if (row > 0) line(boxes_begin - 14, y - row_height, boxes_begin - 14, y, way.serial);
      for (std::size_t i = 0; i < count; ++i) {
        const int x = boxes_begin + static_cast<int>(i) * (box_width + box_gap);
        line(x + box_width / 2, y, x + box_width / 2, y + 12, way.serial);
        const Way::Box& each = way.boxes[first + i];
        box(x, y + 12, box_width, each.name, each.about, each.other);
      }
    }
    if (way.boxes.empty()) line(trunk, bus, boxes_begin, bus, way.serial);
    y_ = bus + static_cast<int>(rows) * row_height;
    return bus;
  }

  const model::ResolvedPlan& plan_;
  std::string text_;
  int y_ = 4;
};

}  // namespace

std::string network_svg(const model::ResolvedPlan& plan) {
  return Drawing(plan).draw();
}

}  // namespace greymet::exports
