#include "capture/packet_file.h"

#include <dlfcn.h>
#include <pcap/pcap.h>

#include <array>
#include <bit>
#include <cstdio>

#include <fmt/format.h>

namespace greymet::capture {

namespace {

// libpcap brings a dozen libraries along, for which every start of the program would pay in memory
// and time: it is loaded where a capture is read.
struct PcapLibrary {
  decltype(&::pcap_fopen_offline_with_tstamp_precision) open = nullptr;
  decltype(&::pcap_datalink) datalink = nullptr;
  decltype(&::pcap_next_ex) next = nullptr;
  decltype(&::pcap_geterr) error = nullptr;
  decltype(&::pcap_file) file = nullptr;
  decltype(&::pcap_close) close = nullptr;

  [[nodiscard]] bool whole() const {
    return open != nullptr && datalink != nullptr && next != nullptr && error != nullptr &&
           file != nullptr && close != nullptr;
  }
};

template <class Function>
void find_in(void* library, const char* name, Function& function) {
  function = std::bit_cast<Function>(::dlsym(library, name));
}

// Loaded once, and kept.
const PcapLibrary& pcap_library() {
  static const PcapLibrary loaded = [] {
    PcapLibrary out;
    void* library = ::dlopen("libpcap.so.0.8", RTLD_NOW | RTLD_LOCAL);
    if (library == nullptr) return out;
    find_in(library, "pcap_fopen_offline_with_tstamp_precision", out.open);
    find_in(library, "pcap_datalink", out.datalink);
    find_in(library, "pcap_next_ex", out.next);
    find_in(library, "pcap_geterr", out.error);
    find_in(library, "pcap_file", out.file);
    find_in(library, "pcap_close", out.close);
    return out;
  }();
  return loaded;
}

}  // namespace

struct PacketFile::Impl {
  struct Closer {
    void operator()(pcap_t* open) const { pcap_library().close(open); }
  };
  std::unique_ptr<pcap_t, Closer> capture;
  LinkType link = LinkType::ethernet;
  long size = 0;
  std::string damage;
};

PacketFile::PacketFile(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
PacketFile::PacketFile(PacketFile&&) noexcept = default;
PacketFile& PacketFile::operator=(PacketFile&&) noexcept = default;
PacketFile::~PacketFile() = default;

tl::expected<PacketFile, std::string> PacketFile::open(const std::string& path) {
  const PcapLibrary& pcap = pcap_library();
  if (!pcap.whole()) {
    return tl::unexpected(
        fmt::format("{}: libpcap, which reads captures, is not there; install libpcap0.8", path));
  }
  std::array<char, PCAP_ERRBUF_SIZE> error{};
  std::FILE* file = std::fopen(path.c_str(), "rb");
  if (file == nullptr) return tl::unexpected(fmt::format("{}: cannot be read", path));
  std::fseek(file, 0, SEEK_END);
  const long size = std::ftell(file);
  std::rewind(file);
  auto impl = std::make_unique<Impl>();
  impl->size = size;
  impl->capture.reset(pcap.open(file, PCAP_TSTAMP_PRECISION_NANO, error.data()));
  if (!impl->capture) {
    std::fclose(file);
    return tl::unexpected(fmt::format("{}: is no capture that can be read: {}", path,
                                      size == 0 ? "it is empty" : error.data()));
  }
  const auto link = link_type_from(pcap.datalink(impl->capture.get()));
  if (!link) {
    return tl::unexpected(fmt::format(
        "{}: its packets are of a link that is not known ({}); known are Ethernet, Linux cooked, "
        "raw IP and loopback",
        path, pcap.datalink(impl->capture.get())));
  }
  impl->link = *link;
  return PacketFile(std::move(impl));
}

std::optional<Packet> PacketFile::next() {
  if (!impl_->damage.empty()) return std::nullopt;
  pcap_pkthdr* header = nullptr;
  const u_char* bytes = nullptr;
  const int got = pcap_library().next(impl_->capture.get(), &header, &bytes);
  if (got != 1) {
    if (got == PCAP_ERROR) impl_->damage = pcap_library().error(impl_->capture.get());
    return std::nullopt;
  }
  Packet out;
  // with this precision the second number is of nanoseconds
  out.time = std::chrono::seconds(header->ts.tv_sec) + std::chrono::nanoseconds(header->ts.tv_usec);
  out.link = impl_->link;
  out.bytes = std::as_bytes(std::span(bytes, header->caplen));
  return out;
}

const std::string& PacketFile::damage() const {
  return impl_->damage;
}

double PacketFile::progress() const {
  if (impl_->size <= 0) return 1;
  const long at = std::ftell(pcap_library().file(impl_->capture.get()));
  return static_cast<double>(at) / static_cast<double>(impl_->size);
}

}  // namespace greymet::capture
