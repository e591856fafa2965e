#include "model/ip_address.h"

#include <arpa/inet.h>

#include <algorithm>
#include <charconv>
#include <cstring>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::model {
namespace {

constexpr std::uint32_t address_bits = 32;
constexpr std::size_t longest_name = 253;              // RFC 1123, section 2.1
constexpr std::size_t longest_label = 63;              // RFC 1035, section 2.3.4
constexpr std::uint32_t first_multicast = 0xE0000000;  // 224.0.0.0, RFC 5771

std::optional<std::uint32_t> parse_part(std::string_view text, std::uint32_t most) {
  std::uint32_t value = 0;
  if (text.empty() || text.size() > 3 || (text.size() > 1 && text.front() == '0')) return {};
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc() || end != text.data() + text.size() || value > most) return {};
  return value;
}

std::uint32_t mask_of(std::uint32_t prefix) {
  return prefix == 0 ? 0 : ~std::uint32_t{0} << (address_bits - prefix);
}

std::string dotted(std::uint32_t bits) {
  return fmt::format("{}.{}.{}.{}", bits >> 24U, bits >> 16U & 0xFFU, bits >> 8U & 0xFFU,
                     bits & 0xFFU);
}

bool is_ipv6(std::string_view text) {
  in6_addr address{};
  return inet_pton(AF_INET6, std::string(text).c_str(), &address) == 1;
}

// Labels of letters, digits and inner hyphens, joined by dots.
bool is_host_name(std::string_view text) {
  if (text.empty() || text.size() > longest_name) return false;
  std::size_t from = 0;
  while (from <= text.size()) {
    const std::size_t dot = std::min(text.find('.', from), text.size());
    const std::string_view label = text.substr(from, dot - from);
    if (label.empty() || label.size() > longest_label) return false;
    if (label.front() == '-' || label.back() == '-') return false;
    if (!std::all_of(label.begin(), label.end(),
                     [](char c) { return is_digit(c) || is_letter(c) || c == '-'; })) {
      return false;
    }
    from = dot + 1;
  }
  return true;
}

}  // namespace

bool Ipv4::shares_subnet_with(const Ipv4& other) const {
  return !prefix || (bits & mask_of(*prefix)) == (other.bits & mask_of(*prefix));
}

bool Ipv4::names_network(const Ipv4& other) const {
  // RFC 3021: a subnet of two addresses has neither name nor broadcast
  if (!prefix || *prefix > address_bits - 2 || !shares_subnet_with(other)) return false;
  return (other.bits & ~mask_of(*prefix)) == 0;
}

bool Ipv4::names_everybody(const Ipv4& other) const {
  if (!prefix || *prefix > address_bits - 2 || !shares_subnet_with(other)) return false;
  return (other.bits & ~mask_of(*prefix)) == ~mask_of(*prefix);
}

std::optional<Ipv4> parse_ipv4(std::string_view text) {
  Ipv4 address;
  const std::size_t slash = text.find('/');
  if (slash != std::string_view::npos) {
    address.prefix = parse_part(text.substr(slash + 1), address_bits);
    if (!address.prefix) return std::nullopt;
    text = text.substr(0, slash);
  }
  for (int i = 0; i < 4; ++i) {
    const std::size_t dot = i < 3 ? text.find('.') : text.size();
    if (dot == std::string_view::npos) return std::nullopt;
    const auto part = parse_part(text.substr(0, dot), 255);
    if (!part) return std::nullopt;
    address.bits = address.bits << 8U | *part;
    text = i < 3 ? text.substr(dot + 1) : std::string_view();
  }
  return address;
}

std::string subnet_text(const Ipv4& address) {
  const std::uint32_t prefix = address.prefix.value_or(address_bits);
  return fmt::format("{}/{}", dotted(address.bits & mask_of(prefix)), prefix);
}

std::string host_of_address(std::string_view address) {
  return std::string(address.substr(0, address.find('/')));
}

tl::expected<void, HostError> check_host(std::string_view text) {
  const std::string shown(quoted_start(text));
  const auto fail = [](std::string message, std::string remedy) {
    return tl::unexpected(HostError{std::move(message), std::move(remedy)});
  };
  if (text.empty())
    return fail("the host is empty",
                "write the address that is set at the box, four numbers up to 255, or its name");
  if (text.find("://") != std::string_view::npos) {
    return fail(fmt::format("'{}' is a web address, not a host", shown),
                "write the host alone; a port has a key of its own: port = 502");
  }
  if (const auto address = parse_ipv4(text)) {
    if (address->prefix) {
      return fail(fmt::format("'{}' names a subnet; a box has one address", shown),
                  fmt::format("write \"{}\"", text.substr(0, text.find('/'))));
    }
    if (address->bits == 0 || address->bits >= first_multicast) {
      return fail(fmt::format("'{}' is not the address of a single box", shown),
                  "write the address that is set at the box");
    }
    return {};
  }
  if (is_ipv6(text)) return {};
  const std::size_t colon = text.find(':');
  if (colon != std::string_view::npos && colon == text.rfind(':')) {
    return fail(fmt::format("'{}' has a port in it", shown),
                fmt::format("write host = \"{}\" and port = {}", text.substr(0, colon),
                            std::string(text.substr(colon + 1, 8))));
  }
  const bool numeric =
      std::all_of(text.begin(), text.end(), [](char c) { return is_digit(c) || c == '.'; });
  if (numeric) {
    return fail(
        fmt::format("'{}' is no address: four numbers of 0 to 255, without leading zeros", shown),
        "write four numbers up to 255 with dots between them");
  }
  if (is_host_name(text)) return {};
  return fail(fmt::format("'{}' is neither an address nor a host name", shown),
              "write four numbers up to 255, or a name of letters, digits, hyphens and dots");
}

}  // namespace greymet::model
