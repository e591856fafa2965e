#include "live/runtime.h"

#include <sys/prctl.h>
#include <unistd.h>

#include <algorithm>
#include <list>
#include <random>

#include <fmt/format.h>

#include "engine/point_values.h"
#include "master_wires.h"
#include "serial_device.h"
#include "served_wires.h"

namespace greymet::live {

using boost::asio::ip::tcp;
using boost::system::error_code;
using engine::ControllerMemory;
using internal::Alarm;
using internal::MasterWires;
using internal::Reactor;
using internal::ServedHost;
using internal::ServedLine;

namespace {

std::vector<ControllerMemory> all_memories(const model::ResolvedPlan& plan) {
  std::vector<ControllerMemory> out;
  out.reserve(plan.layouts.size());
  for (const model::MemoryLayout& layout : plan.layouts) out.emplace_back(layout);
  return out;
}

// "127.0.0.1:502", or a name that has to be looked up.
tl::expected<tcp::endpoint, LiveError> resolve(boost::asio::io_context& io, const std::string& host,
                                               const std::string& port) {
  tcp::resolver resolver(io);
  error_code error;
  const auto found = resolver.resolve(host, port, tcp::resolver::numeric_service, error);
  if (error || found.empty()) {
    return tl::unexpected(LiveError{fmt::format(
        "{}:{}: {}", host, port, error ? error.message() : std::string("no such host"))});
  }
  return found.begin()->endpoint();
}

// What another master's connection left behind bears numbers as well.
RuntimeOptions with_numbers_from_anywhere(RuntimeOptions options) {
  std::random_device any;
  options.masters.first_number = static_cast<std::uint16_t>(any());
  return options;
}

}  // namespace

struct Runtime::Impl {
  Impl(const model::ResolvedPlan& resolved, const timing::TimingModel& queues,
       const RuntimeOptions& wanted)
      : plan(resolved),
        timing(queues),
        options(with_numbers_from_anywhere(wanted)),
        memories(all_memories(plan)),
        field(plan, memories, options.still) {
    engine::put_constants(plan, memories);
    for (std::size_t c = 0; c < memories.size(); ++c) {
      programs.emplace_back(plan, model::ControllerIndex(c), memories[c]);
    }
    revisions.assign(memories.size(), 0);
    if (!options.master) return;
    masters.reserve(memories.size());
    for (std::size_t c = 0; c < memories.size(); ++c) {
      const auto& only = options.only;
      if (!only.empty() && std::find(only.begin(), only.end(), c) == only.end()) continue;
      masters.emplace_back(plan, timing, model::ControllerIndex(c), memories[c], options.masters);
    }
  }

  tl::expected<void, LiveError> open_served();
  tl::expected<void, LiveError> open_line(model::LineIndex line);
  tl::expected<void, LiveError> open_host(const std::string& host, std::int64_t port);
  tl::expected<void, LiveError> open_masters();
  tl::expected<void, LiveError> open_link(MasterWires& wires, std::size_t link);

  void begin();
  void act_all();
  void after_event();

  const model::ResolvedPlan& plan;
  const timing::TimingModel& timing;
  RuntimeOptions options;
  Reactor reactor;
  std::vector<ControllerMemory> memories;
  engine::FaultScript faults;
  engine::Field field;
  std::vector<engine::Program> programs;
  std::vector<engine::Master> masters;
  std::list<ServedLine> lines;
  std::list<ServedHost> hosts;
  std::list<MasterWires> wires;  // parallel to masters
  std::list<Alarm> program_alarms;
  std::vector<std::uint64_t> revisions;  // of memories, as last looked at
  Endpoints endpoints;
  std::uint64_t frames_before = 0;  // of wires that are closed
  const engine::Finished* finished = nullptr;
  bool begun = false;
  bool looking = false;
};

tl::expected<void, LiveError> Runtime::Impl::open_served() {
  if (!options.served.empty()) field.serve_only(options.served);
  const engine::StationPlaces places = engine::station_places(plan, options.served);
  for (const model::LineIndex line : places.lines) {
    if (auto opened = open_line(line); !opened) return opened;
  }
  for (const auto& [host, port] : places.hosts) {
    if (auto opened = open_host(host, port); !opened) return opened;
  }
  return {};
}

tl::expected<void, LiveError> Runtime::Impl::open_line(model::LineIndex index) {
  const model::ExchangeLine& line = plan.exchange.lines[index];
  const auto at = options.places.lines.find(line.name);
  std::string device = at != options.places.lines.end() ? at->second : std::string();
  if (device.empty() && options.at_plans_places) {
    // who polls the line here has its device
    const auto polls = [&](const engine::Master& m) { return line.master == m.controller(); };
    if (std::any_of(masters.begin(), masters.end(), polls)) return {};
    device = line.port.value_or(std::string());
  }
  const auto add = [&](int ours, int keeper, const engine::StationOptions& how) {
    lines.emplace_back(reactor, engine::LineStation(plan, index, field, faults, how), ours, keeper,
                       device, [this] { after_event(); });
    endpoints.lines[line.name] = device;
  };
  if (!device.empty()) {
    const auto fd = internal::open_serial(device, line);
    if (!fd) return tl::unexpected(fd.error());
    engine::StationOptions how = options.station;
    how.real_line = true;
    add(*fd, -1, how);
    return {};
  }
  if (options.at_plans_places) {
    return tl::unexpected(LiveError{fmt::format(
        "line {} has no device: write `port` into the plan, or use --endpoints", line.name)});
  }
  auto terminal = internal::open_pseudo_terminal();
  if (!terminal) return tl::unexpected(terminal.error());
  device = terminal->device;
  add(terminal->ours, terminal->keeper, options.station);
  return {};
}

tl::expected<void, LiveError> Runtime::Impl::open_host(const std::string& host, std::int64_t port) {
  const auto given = options.places.tcp.find(fmt::format("{}:{}", host, port));
  std::string place = fmt::format("{}:0", options.listen);
  if (given != options.places.tcp.end()) {
    place = given->second;
  } else if (options.at_plans_places) {
    place = fmt::format("{}:{}", host, port);
  }
  const std::size_t colon = place.rfind(':');
  const auto at = resolve(reactor.io, place.substr(0, colon), place.substr(colon + 1));
  if (!at) return tl::unexpected(at.error());
  error_code error;
  tcp::acceptor acceptor(reactor.io);
  const auto step = [&](const auto& action) {
    if (!error) action();
  };
  step([&] { acceptor.open(at->protocol(), error); });
  step([&] { acceptor.set_option(tcp::acceptor::reuse_address(true), error); });
  step([&] { acceptor.bind(*at, error); });
  step([&] { acceptor.listen(tcp::acceptor::max_listen_connections, error); });
  if (error) {
    const bool free_port = at->port() == 0;
    return tl::unexpected(LiveError{fmt::format(
        "cannot listen on {}: {}", free_port ? options.listen : place, error.message())});
  }
  hosts.emplace_back(reactor, engine::HostStation(plan, host, port, field, faults, options.station),
                     std::move(acceptor), [this] { after_event(); });
  const tcp::endpoint listens = hosts.back().endpoint();
  endpoints.tcp[fmt::format("{}:{}", host, port)] =
      fmt::format("{}:{}", listens.address().to_string(), listens.port());
  return {};
}

tl::expected<void, LiveError> Runtime::Impl::open_masters() {
  for (engine::Master& master : masters) {
    wires.emplace_back(
        reactor, master,
        [this](const std::vector<engine::RequestRecord>& records) {
          for (const engine::RequestRecord& record : records) {
            if (finished != nullptr && *finished) (*finished)(record);
          }
        },
        [this] { after_event(); });
    for (const engine::MasterLink& link : master.links()) {
      if (link.jobs().empty()) continue;
      if (auto opened = open_link(wires.back(), link.index()); !opened) return opened;
    }
  }
  return {};
}

tl::expected<void, LiveError> Runtime::Impl::open_link(MasterWires& of, std::size_t link) {
  const timing::Queue& queue = timing.queues[link];
  // what is served here is asked here
  Endpoints given = endpoints;
  given.lines.insert(options.endpoints.lines.begin(), options.endpoints.lines.end());
  given.tcp.insert(options.endpoints.tcp.begin(), options.endpoints.tcp.end());
  if (queue.kind == timing::QueueKind::serial) {
    const model::ExchangeLine& line = plan.exchange.lines[*queue.line];
    const auto at = given.lines.find(line.name);
    const std::string device =
        at != given.lines.end() ? at->second : line.port.value_or(std::string());
    if (device.empty()) {
      return tl::unexpected(LiveError{fmt::format(
          "line {} has no device: write `port` into the plan, or use --endpoints", line.name)});
    }
    const auto fd = internal::open_serial(device, line);
    if (!fd) return tl::unexpected(fd.error());
    of.add_serial(link, *fd, device);
    return {};
  }
  const model::Connection& connection = plan.exchange.connections[*queue.connection];
  const auto at = given.tcp.find(fmt::format("{}:{}", connection.host, connection.port));
  std::string host = connection.host;
  std::string port = fmt::format("{}", connection.port);
  if (at != given.tcp.end()) {
    const std::size_t colon = at->second.rfind(':');
    host = at->second.substr(0, colon);
    port = at->second.substr(colon + 1);
  }
  const auto to = resolve(reactor.io, host, port);
  if (!to) return tl::unexpected(to.error());
  of.add_tcp(link, *to);
  return {};
}

void Runtime::Impl::begin() {
  begun = true;
  ::prctl(PR_SET_TIMERSLACK, 1);
  reactor.start = std::chrono::steady_clock::now();
  for (std::size_t c = 0; c < programs.size(); ++c) {
    program_alarms.emplace_back(reactor, [this] { act_all(); });
  }
  for (ServedLine& line : lines) line.act();
  for (ServedHost& host : hosts) host.act();
}

// Programs first: what they change may set transactions off.
void Runtime::Impl::act_all() {
  if (looking) return;
  looking = true;
  const Duration now = reactor.now();
  for (engine::Program& program : programs) program.act(now);
  for (MasterWires& each : wires) each.act();
  // only now: what masters have just brought may be what a program waits for
  auto alarm = program_alarms.begin();
  for (engine::Program& program : programs) (alarm++)->set(program.next_wake(now));
  for (std::size_t c = 0; c < memories.size(); ++c) revisions[c] = memories[c].revision();
  looking = false;
}

// Whoever changed a controller's memory makes its program and master look.
void Runtime::Impl::after_event() {
  if (!begun || looking) return;
  for (std::size_t c = 0; c < memories.size(); ++c) {
    if (memories[c].revision() == revisions[c]) continue;
    act_all();
    return;
  }
}

Runtime::Runtime(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
Runtime::~Runtime() = default;

tl::expected<std::unique_ptr<Runtime>, LiveError> Runtime::open(const model::ResolvedPlan& plan,
                                                                const timing::TimingModel& timing,
                                                                const RuntimeOptions& options) {
  auto impl = std::make_unique<Impl>(plan, timing, options);
  if (options.serve) {
    if (auto opened = impl->open_served(); !opened) return tl::unexpected(opened.error());
  }
  if (options.master) {
    if (auto opened = impl->open_masters(); !opened) return tl::unexpected(opened.error());
  }
  return std::unique_ptr<Runtime>(new Runtime(std::move(impl)));
}

void Runtime::run_until(Duration until, const engine::Finished& finished) {
  Impl& impl = *impl_;
  impl.finished = &finished;
  if (!impl.begun) impl.begin();
  impl.act_all();
  constexpr Duration longest_wait = std::chrono::milliseconds(50);  // to notice a stop
  while (!stopped() && impl.reactor.now() < until) {
    const Duration wait = std::min(until, impl.reactor.now() + longest_wait);
    impl.reactor.run_until(wait);
  }
  impl.act_all();  // what is due at the end still happens
  impl.finished = nullptr;
}

void Runtime::finish(const engine::Finished& finished) {
  Impl& impl = *impl_;
  if (!impl.begun) return;
  impl.finished = &finished;
  for (engine::Master& master : impl.masters) master.stop();
  impl.act_all();
  const Duration limit = impl.reactor.now() + engine::longest_ending;
  const auto busy = [](const engine::Master& master) { return master.under_way() > 0; };
  while (impl.reactor.failure.empty() && impl.reactor.now() < limit &&
         std::any_of(impl.masters.begin(), impl.masters.end(), busy)) {
    constexpr Duration step = std::chrono::milliseconds(5);
    impl.reactor.run_until(std::min(limit, impl.reactor.now() + step));
    impl.act_all();
  }
  for (engine::Master& master : impl.masters) {
    master.abandon(impl.reactor.now());
    for (const engine::RequestRecord& record : master.take_records()) {
      if (finished) finished(record);
    }
  }
  impl.finished = nullptr;
}

Duration Runtime::now() const {
  return impl_->begun ? impl_->reactor.now() : Duration{};
}
bool Runtime::stopped() const {
  return impl_->options.stop.stop_requested() || !impl_->reactor.failure.empty();
}
ControllerMemory& Runtime::memory(std::size_t controller) {
  return impl_->memories[controller];
}
engine::Field& Runtime::field() {
  return impl_->field;
}
std::vector<engine::Program>& Runtime::programs() {
  return impl_->programs;
}
const std::vector<engine::Master>& Runtime::masters() const {
  return impl_->masters;
}
void Runtime::hang_up() {
  impl_->frames_before = frames_sent();
  impl_->wires.clear();
}
std::uint64_t Runtime::frames_sent() const {
  std::uint64_t all = impl_->frames_before;
  for (const MasterWires& wires : impl_->wires) all += wires.frames_sent();
  return all;
}
void Runtime::set_faults(engine::FaultScript script) {
  impl_->faults = std::move(script);
  impl_->field.set_restarts(impl_->faults);
  if (!impl_->begun) return;
  for (ServedHost& host : impl_->hosts) host.act();
}
void Runtime::touch() {
  if (impl_->begun) impl_->act_all();
}
const Endpoints& Runtime::endpoints() const {
  return impl_->endpoints;
}
const std::string& Runtime::failure() const {
  return impl_->reactor.failure;
}
std::vector<engine::StationCounts> Runtime::station_counts() const {
  std::vector<engine::StationCounts> out;
  for (const ServedLine& line : impl_->lines) out.push_back(line.counts());
  for (const ServedHost& host : impl_->hosts) out.push_back(host.station().counts());
  return out;
}

}  // namespace greymet::live
