// What auditing a capture costs: beside reading the same packets and doing nothing with them, and
// beside a dissector (tshark) where one is installed. Memory must not grow with the file.
// `bench_audit [MEGABYTES]`; status 1 where a limit is missed.
#include <sys/resource.h>

#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <string>

#include <unistd.h>

#include <fmt/format.h>

#include "capture/capture_audit.h"
#include "capture/packet_file.h"
#include "files/plan_loader.h"
#include "timing/report.h"

using namespace greymet;

namespace {

constexpr int hosts = 20;
constexpr int blocks = 10;  // of each host

std::string plan_text() {
  std::string text =
      "[controller.kiln]\nscan = \"10ms\"\n[controller.kiln.memory]\n\"%MW\" = { kind = \"word\", "
      "count = 8000 }\n";
  std::string rows;
  for (int h = 0; h < hosts; ++h) {
    text += fmt::format("[slave.meter{}]\nhost = \"10.20.1.{}\"\nunit = 1\n", h, h + 1);
    for (int b = 0; b < blocks; ++b) {
      rows += fmt::format(
          "  {{ name = \"meter{0}-{1}\", slave = \"meter{0}\", fc = 3, at = {2}, count = 40, into "
          "= \"%MW{3}\", every = \"200ms\", on_loss = \"hold\" }},\n",
          h, b, b * 40, (h * blocks + b) * 40);
    }
  }
  return text + "[exchange]\ntransactions = [\n" + rows + "]\n";
}

// Ethernet, IPv4 and TCP around one frame each.
class CaptureWriter {
 public:
  explicit CaptureWriter(const std::string& path) : out_(path, std::ios::binary) {
    for (const std::uint32_t word : {0xA1B2C3D4U, 0x00040002U, 0U, 0U, 65535U, 1U}) put32(word);
  }
  void exchange(double time, int host, int block) {
    const auto number = static_cast<std::uint16_t>(++numbers_);
    const std::string request{
        static_cast<char>(number >> 8U),    static_cast<char>(number),     0, 0, 0, 6, 1, 3,
        static_cast<char>(block * 40 >> 8), static_cast<char>(block * 40), 0, 40};
    std::string reply = request.substr(0, 4) + std::string{0, 83, 1, 3, 80};
    reply.resize(6 + 83, static_cast<char>(number));
    packet(time, host, true, request);
    packet(time + 0.004, host, false, reply);
    packet(time + 0.005, host, true, {});  // an acknowledgement alone
  }
  [[nodiscard]] std::uint64_t bytes() const { return bytes_; }

 private:
  void put32(std::uint32_t value) {
    out_.write(reinterpret_cast<const char*>(&value), sizeof value);
    bytes_ += sizeof value;
  }
  void packet(double time, int host, bool to_server, const std::string& payload) {
    std::string p(12, '\2');
    p += std::string{8, 0, 0x45, 0};
    const auto length = static_cast<unsigned>(40 + payload.size());
    p += static_cast<char>(length >> 8U);
    p += static_cast<char>(length);
    p += std::string{0, 0, 0x40, 0, 64, 6, 0, 0};
    const std::string client{10, 0, 0, 1};
    const std::string server{10, 20, 1, static_cast<char>(host + 1)};
    p += to_server ? client + server : server + client;
    const std::string client_port{'\x9C', static_cast<char>(host)};
    const std::string server_port{1, static_cast<char>(0xF6)};
    p += to_server ? client_port + server_port : server_port + client_port;
    std::uint32_t& own = sequence_[host][to_server ? 0 : 1];
    const std::uint32_t other = sequence_[host][to_server ? 1 : 0];
    for (const std::uint32_t value : {own, other}) {
      for (const unsigned shift : {24U, 16U, 8U, 0U}) p += static_cast<char>(value >> shift);
    }
    own += static_cast<std::uint32_t>(payload.size());
    p += std::string{0x50, 0x18, 0x20, 0, 0, 0, 0, 0};
    p += payload;
    put32(static_cast<std::uint32_t>(time));
    put32(static_cast<std::uint32_t>((time - static_cast<std::uint32_t>(time)) * 1e6));
    put32(static_cast<std::uint32_t>(p.size()));
    put32(static_cast<std::uint32_t>(p.size()));
    out_ << p;
    bytes_ += p.size();
  }
  std::ofstream out_;
  std::uint64_t bytes_ = 0;
  std::uint64_t numbers_ = 0;
  std::uint32_t sequence_[hosts][2] = {};
};

void write_capture(const std::string& path, std::uint64_t megabytes) {
  CaptureWriter writer(path);
  for (int round = 0; writer.bytes() < megabytes * 1'000'000; ++round) {
    for (int h = 0; h < hosts; ++h) {
      for (int b = 0; b < blocks; ++b) writer.exchange(1000 + round * 0.2 + b * 0.01, h, b);
    }
  }
}

double seconds_of(const auto& action) {
  const auto begin = std::chrono::steady_clock::now();
  action();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
}

long peak_megabytes() {
  rusage usage{};
  ::getrusage(RUSAGE_SELF, &usage);
  return usage.ru_maxrss / 1024;
}

}  // namespace

int main(int argc, char** argv) {
  const std::uint64_t megabytes = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 100;
  const std::string path =
      (std::filesystem::temp_directory_path() / fmt::format("bench-audit-{}.pcap", ::getpid()))
          .string();
  const auto loaded =
      files::load_plan("plan.toml", files::memory_files({{"plan.toml", plan_text()}}));
  const auto report = timing::analyse_longest(loaded.plan);
  bool good = true;
  double audit = 0;
  long first_peak = 0;
  for (const std::uint64_t size : {megabytes / 4, megabytes}) {
    write_capture(path, size);
    std::uint64_t seen = 0;
    audit = seconds_of([&] {
      capture::Auditor auditor(loaded.plan);
      (void)capture::audit_capture(path, loaded.plan, {}, auditor, {});
      for (const auto& t : auditor.finish(report).transactions) seen += t.stats.good;
    });
    const double bare = seconds_of([&] {
      auto file = capture::PacketFile::open(path);
      std::uint64_t bytes = 0;
      while (const auto packet = file->next()) bytes += packet->bytes.size();
      if (bytes == 0) std::puts("nothing was read");
    });
    const long peak = peak_megabytes();
    if (first_peak == 0) first_peak = peak;
    fmt::print(
        "audit of {} MB: {:.2f} s, {:.0f} MB/s, {} answers; {:.1f} times reading alone; peak {} MB "
        "(limit 100)\n",
        size, audit, static_cast<double>(size) / audit, seen, audit / bare, peak);
    good = good && peak < 100 && peak <= first_peak + 8 && seen > 0;
  }
  if (std::system("command -v tshark >/dev/null 2>&1") == 0) {
    const double dissector = seconds_of([&] {
      const std::string command = "tshark -n -q -r " + path + " -z io,phs >/dev/null 2>&1";
      if (std::system(command.c_str()) != 0) std::puts("the dissector failed");
    });
    fmt::print("the dissector: {:.2f} s; {:.1f} times audit (limit 10)\n", dissector,
               dissector / audit);
    good = good && dissector >= 10 * audit;
  } else {
    std::puts("no dissector is installed: nothing to hold it against");
  }
  std::filesystem::remove(path);
  return good ? 0 : 1;
}
