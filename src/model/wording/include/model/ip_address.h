// Internet addresses and host names as plans write them.
//
// IPv4 in dotted decimal (RFC 791), with a prefix length as in RFC 4632 where a subnet is meant;
// IPv6 in the text form of RFC 4291, section 2.2; host names as in RFC 1123, section 2.1.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <tl/expected.hpp>

namespace greymet::model {

// An IPv4 address in host byte order, with the length of its subnet's prefix if one was written.
struct Ipv4 {
  std::uint32_t bits = 0;
  std::optional<std::uint32_t> prefix;  // 0..32

  // Same subnet, by this address's prefix; true where it has none.
  [[nodiscard]] bool shares_subnet_with(const Ipv4& other) const;
  // All host bits 0 (names the subnet) or all 1 (reaches everybody), by this prefix.
  [[nodiscard]] bool names_network(const Ipv4& other) const;
  [[nodiscard]] bool names_everybody(const Ipv4& other) const;
};

// Reads "10.20.0.31" or "10.20.0.10/24"; nothing for all else.
[[nodiscard]] std::optional<Ipv4> parse_ipv4(std::string_view text);

// "10.20.0.0/24": the subnet of an address with a prefix.
[[nodiscard]] std::string subnet_text(const Ipv4& address);

// "10.20.0.10" of "10.20.0.10/24".
[[nodiscard]] std::string host_of_address(std::string_view address);

// Why a text cannot be the address of a box; both parts are ready to be shown.
struct HostError {
  std::string message;
  std::string remedy;
};

// Accepts an IPv4 or IPv6 address of a single box, or a host name; no port, no scheme, no prefix.
[[nodiscard]] tl::expected<void, HostError> check_host(std::string_view text);

}  // namespace greymet::model
