#include "serial_device.h"

#include <fcntl.h>
#include <pty.h>
#include <sys/ioctl.h>
#include <termios.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cstring>
#include <optional>
#include <string_view>
#include <utility>

#include <fmt/format.h>

namespace greymet::live::internal {

namespace {

tl::unexpected<LiveError> fail(const std::string& device, const std::string& what) {
  return tl::unexpected(LiveError{fmt::format("{}: {}", device, what)});
}

std::string reason(int error) {
  switch (error) {
    case ENOENT: return "there is no such device";
    case EACCES: return "no permission to use it; is the user in its group?";
    case EBUSY: return "another program is using it";
    default: return std::strerror(error);  // NOLINT(concurrency-mt-unsafe): one thread
  }
}

std::optional<speed_t> speed_of(std::int64_t baud) {
  constexpr std::array<std::pair<std::int64_t, speed_t>, 16> known{{{300, B300},
                                                                    {600, B600},
                                                                    {1200, B1200},
                                                                    {1800, B1800},
                                                                    {2400, B2400},
                                                                    {4800, B4800},
                                                                    {9600, B9600},
                                                                    {19200, B19200},
                                                                    {38400, B38400},
                                                                    {57600, B57600},
                                                                    {115200, B115200},
                                                                    {230400, B230400},
                                                                    {460800, B460800},
                                                                    {500000, B500000},
                                                                    {921600, B921600},
                                                                    {1000000, B1000000}}};
  for (const auto& [rate, speed] : known) {
    if (rate == baud) return speed;
  }
  return std::nullopt;
}

void set_format(termios& settings, const model::CharacterFormat& format) {
  settings.c_cflag &= ~static_cast<tcflag_t>(CSIZE | PARENB | PARODD | CSTOPB | CRTSCTS);
  settings.c_cflag |= CLOCAL | CREAD | (format.data_bits == 7 ? CS7 : CS8);
  if (format.parity != model::Parity::none) settings.c_cflag |= PARENB;
  if (format.parity == model::Parity::odd) settings.c_cflag |= PARODD;
  if (format.stop_bits == 2) settings.c_cflag |= CSTOPB;
}

}  // namespace

tl::expected<int, LiveError> open_serial(const std::string& device,
                                         const model::ExchangeLine& line) {
  const int fd = ::open(device.c_str(), O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
  if (fd < 0) return fail(device, reason(errno));
  const auto give_up = [&](const std::string& what) {
    ::close(fd);
    return fail(device, what);
  };
  if (::isatty(fd) == 0) return give_up("is no serial device");
  // a link may lead to it
  std::array<char, 128> name{};
  const bool pseudo = ::ttyname_r(fd, name.data(), name.size()) == 0 &&
                      std::string_view(name.data()).starts_with("/dev/pts/");
  if (!pseudo && ::ioctl(fd, TIOCEXCL) != 0) return give_up(reason(errno));
  termios settings{};
  if (::tcgetattr(fd, &settings) != 0) return give_up(reason(errno));
  ::cfmakeraw(&settings);
  if (line.format && !pseudo) set_format(settings, *line.format);
  if (line.baud && !pseudo) {
    const auto speed = speed_of(*line.baud);
    if (!speed) return give_up(fmt::format("{} baud is no rate that it can be set to", *line.baud));
    ::cfsetispeed(&settings, *speed);
    ::cfsetospeed(&settings, *speed);
  }
  if (::tcsetattr(fd, TCSANOW, &settings) != 0) return give_up(reason(errno));
  // success means that something was set: what, has to be read back
  termios set{};
  constexpr tcflag_t compared = CSIZE | PARENB | PARODD | CSTOPB;
  const bool taken = ::tcgetattr(fd, &set) == 0 &&
                     (set.c_cflag & compared) == (settings.c_cflag & compared) &&
                     ::cfgetospeed(&set) == ::cfgetospeed(&settings);
  if (!taken && !pseudo) return give_up("does not take the baud rate or format of the line");
  ::tcflush(fd, TCIOFLUSH);
  return fd;
}

tl::expected<PseudoTerminal, LiveError> open_pseudo_terminal() {
  PseudoTerminal out;
  std::array<char, 128> name{};
  termios raw{};
  ::cfmakeraw(&raw);
  raw.c_cflag |= CLOCAL | CREAD;
  if (::openpty(&out.ours, &out.keeper, name.data(), &raw, nullptr) != 0) {
    return fail("pseudo-terminal", reason(errno));
  }
  for (const int fd : {out.ours, out.keeper}) ::fcntl(fd, F_SETFD, FD_CLOEXEC);
  ::fcntl(out.ours, F_SETFL, O_NONBLOCK);
  out.device = name.data();
  return out;
}

}  // namespace greymet::live::internal
