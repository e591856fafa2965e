#include "files/endpoints_json.h"

#include <algorithm>
#include <charconv>
#include <set>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "files/json_text.h"
#include "model/nearest_name.h"

namespace greymet::files {

using Json = nlohmann::ordered_json;

namespace {

constexpr std::string_view expected_form =
    R"(write {"lines": {"north": "/dev/ttyUSB0"}, "tcp": {"10.20.0.31:502": "127.0.0.1:40123"}})";

// Where a text stands for the first time; the beginning if it does not.
model::Range range_at(const std::string& text, std::size_t at) {
  model::Range range;
  range.line = 1;
  range.column = 1;
  for (std::size_t i = 0; i < std::min(at, text.size()); ++i) {
    ++range.column;
    if (text[i] != '\n') continue;
    ++range.line;
    range.column = 1;
  }
  return range;
}
model::Range place_of_text(const std::string& text, const std::string& quoted) {
  const std::size_t at = text.find('"' + quoted + '"');
  return range_at(text, at == std::string::npos ? 0 : at);
}

model::Finding finding(model::Range place, std::string message, std::string remedy) {
  model::Finding out;
  out.rule = model::RuleCode::P07;
  out.severity = model::Severity::error;
  out.place = place;
  out.message = std::move(message);
  out.remedy = std::move(remedy);
  return out;
}

// "address:port"
bool is_address(const std::string& text) {
  const std::size_t colon = text.rfind(':');
  if (colon == std::string::npos || colon == 0) return false;
  unsigned port = 0;
  const char* end = text.data() + text.size();
  const auto [stop, error] = std::from_chars(text.data() + colon + 1, end, port);
  return error == std::errc() && stop == end && port > 0 && port < 65536;
}

class EndpointReader {
 public:
  EndpointReader(const std::string& text, const model::ResolvedPlan& plan) : text_(text) {
    for (const model::ExchangeLine& line : plan.exchange.lines) {
      if (line.master) lines_.insert(line.name);
    }
    for (const model::Connection& each : plan.exchange.connections) {
      hosts_.insert(fmt::format("{}:{}", each.host, each.port));
    }
    for (const model::ExchangeSlave& slave : plan.exchange.slaves) {
      if (slave.host) hosts_.insert(fmt::format("{}:{}", *slave.host, slave.port));
    }
    for (const model::ExchangeGateway& gateway : plan.exchange.gateways) {
      if (gateway.host) hosts_.insert(fmt::format("{}:{}", *gateway.host, gateway.port));
    }
    for (const auto& telling : plan.telling_places()) {
      hosts_.insert(fmt::format("{}:{}", telling.host, telling.port));
    }
  }

  tl::expected<EndpointTable, model::Findings> read() {
    Json json;
    try {
      json = Json::parse(text_);
    } catch (const Json::parse_error& error) {
      findings_.push_back(finding(range_at(text_, error.byte > 0 ? error.byte - 1 : 0),
                                  "is not JSON", std::string(expected_form)));
      return tl::unexpected(std::move(findings_));
    }
    if (!json.is_object()) {
      findings_.push_back(finding(range_at(text_, 0), "is no object", std::string(expected_form)));
      return tl::unexpected(std::move(findings_));
    }
    EndpointTable out;
    for (auto at = json.begin(); at != json.end(); ++at) {
      if (at.key() == "lines") {
        read_group(at.value(), "line", lines_, out.lines);
      } else if (at.key() == "tcp") {
        read_group(at.value(), "host", hosts_, out.tcp);
      } else {
        findings_.push_back(finding(place_of_text(text_, at.key()),
                                    fmt::format("'{}' is unknown", at.key().substr(0, 40)),
                                    std::string(expected_form)));
      }
    }
    if (!findings_.empty()) return tl::unexpected(std::move(findings_));
    return out;
  }

 private:
  void read_group(const Json& group, std::string_view kind, const std::set<std::string>& known,
                  std::map<std::string, std::string>& out) {
    if (!group.is_object()) {
      findings_.push_back(finding(place_of_text(text_, kind == "line" ? "lines" : "tcp"),
                                  "is no object", std::string(expected_form)));
      return;
    }
    for (auto at = group.begin(); at != group.end(); ++at) {
      const model::Range place = place_of_text(text_, at.key());
      const std::vector<std::string_view> names(known.begin(), known.end());
      if (!known.contains(at.key())) {
        findings_.push_back(finding(
            place, fmt::format("the plan has no {} '{}'", kind, at.key().substr(0, 60)),
            fmt::format("name one of the plan's{}", model::nearest_or_example(at.key(), names))));
        continue;
      }
      const std::string value = at.value().is_string() ? at.value().get<std::string>() : "";
      if (value.empty() || (kind == "host" && !is_address(value))) {
        findings_.push_back(finding(
            place, kind == "host" ? "its value is no address:port" : "its value is no device",
            std::string(expected_form)));
        continue;
      }
      out[at.key()] = value;
    }
  }

  const std::string& text_;
  std::set<std::string> lines_;
  std::set<std::string> hosts_;
  model::Findings findings_;
};

}  // namespace

std::string endpoints_json(const EndpointTable& table) {
  Json lines = Json::object();
  for (const auto& [name, device] : table.lines) lines[name] = device;
  Json tcp = Json::object();
  for (const auto& [host, address] : table.tcp) tcp[host] = address;
  return dump({{"lines", std::move(lines)}, {"tcp", std::move(tcp)}});
}

tl::expected<EndpointTable, model::Findings> read_endpoints(const std::string& text,
                                                            const model::ResolvedPlan& plan) {
  return EndpointReader(text, plan).read();
}

}  // namespace greymet::files
