#include "live/hand.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "modbus/planned_frames.h"
#include "model/resolved_plan.h"
#include "model/usual_function.h"
#include "timing/report.h"

namespace greymet::live {

using engine::RequestRecord;
using model::Area;
using model::Located;

namespace {

std::size_t asking_controller(const model::ResolvedPlan& plan, std::size_t slave) {
  const auto line = plan.slave_line[model::SlaveIndex(slave)];
  if (line && plan.line_master[*line]) return plan.line_master[*line]->value;
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    if (!t.target.is_peer && t.target.index == slave) return t.controller;
  }
  return 0;
}

model::MemoryArea area_of(const char* name, model::MemoryKind kind, std::int64_t count) {
  model::MemoryArea area;
  area.name = name;
  area.kind = kind;
  area.count = count;
  return area;
}

constexpr const char* words_area = "@W";
constexpr const char* bits_area = "@B";
constexpr const char* triggers_area = "@T";

// The `number`-th request, with the trigger bit of that number.
model::Transaction transaction_of(const model::ResolvedPlan& resolved, const HandBlock& block,
                                  bool is_read, std::size_t controller, std::size_t number) {
  const model::Plan& plan = resolved.plan;
  model::Transaction t;
  t.name = fmt::format("{} by hand{}", is_read ? "read" : "write",
                       number < 2 ? std::string() : fmt::format(" {}", number + 1));
  t.controller = Located<std::string>{plan.controllers[controller].name, {}};
  const model::Slave& slave = plan.slaves[block.slave];
  t.slave = Located<std::string>{slave.name, {}};
  const auto function = is_read ? std::optional(model::reading_function(block.area))
                                : model::writing_function_of(resolved.exchange.slaves[block.slave],
                                                             block.area, block.count);
  if (function) t.function = Located<std::int64_t>{static_cast<std::int64_t>(*function), {}};
  const model::Address address{block.area, {static_cast<std::uint16_t>(block.first)}};
  t.block.at = Located<model::AddressText>{{to_text(address), false}, {}};
  t.block.count = Located<std::int64_t>{block.count, {}};
  const std::string place = fmt::format("{}0", is_bit_area(block.area) ? bits_area : words_area);
  (is_read ? t.into : t.from) = Located<std::string>{place, {}};
  t.on = Located<std::string>{fmt::format("{}{}", triggers_area, number), {}};
  t.min_gap = Located<Duration>{std::chrono::milliseconds(1), {}};
  t.on_loss = Located<model::OnLoss>{model::OnLoss::hold, {}};
  return t;
}

// The plan's network and slaves, and these requests in place of its exchange.
model::Plan plan_by_hand(const model::ResolvedPlan& plan, const std::vector<HandBlock>& blocks,
                         std::size_t controller, const HandOptions& options) {
  model::Plan own = plan.plan;
  own.copies.clear();
  own.wants.clear();
  own.heartbeats.clear();
  own.paths.clear();
  own.accepts.clear();
  for (model::Controller& each : own.controllers) {
    each.tags.reset();
    each.tags_files.reset();
    each.fingerprint.reset();
  }
  constexpr std::int64_t most_bits = 2000;
  constexpr std::int64_t most_words = 125;
  own.controllers[controller].memory = {
      area_of(words_area, model::MemoryKind::word, most_words),
      area_of(bits_area, model::MemoryKind::bit, most_bits),
      area_of(triggers_area, model::MemoryKind::bit, static_cast<std::int64_t>(2 * blocks.size()))};
  own.transactions.clear();
  for (const HandBlock& block : blocks) {
    own.transactions.push_back(
        transaction_of(plan, block, true, controller, own.transactions.size()));
    if (!block.writes) continue;
    own.transactions.push_back(
        transaction_of(plan, block, false, controller, own.transactions.size()));
  }
  if (options.once) {
    const Located<std::int64_t> none{0, {}};
    for (model::Line& line : own.lines) {
      line.retries = none;
      line.park.reset();
    }
    for (model::Gateway& gateway : own.gateways) gateway.retries = none;
    for (model::Slave& slave : own.slaves) {
      if (slave.host) slave.retries = none;
    }
  }
  if (options.at_once > 1) {
    const Located<std::int64_t> at_once{options.at_once, {}};
    for (model::Controller& each : own.controllers) each.in_flight.reset();
    for (model::Gateway& gateway : own.gateways) gateway.in_flight = at_once;
    for (model::Slave& slave : own.slaves) {
      if (slave.host) slave.in_flight = at_once;
    }
  }
  if (options.timeout) {
    const Located<Duration> timeout{*options.timeout, {}};
    for (model::Line& line : own.lines) line.timeout = timeout;
    for (model::Gateway& gateway : own.gateways) gateway.timeout = timeout;
    for (model::Slave& slave : own.slaves) {
      if (slave.host) slave.timeout = timeout;
    }
  }
  return own;
}

}  // namespace

struct Hand::Impl {
  model::ResolvedPlan plan;
  timing::TimingReport report;
  std::vector<HandBlock> blocks;
  std::vector<std::size_t> reads;  // transactions, parallel to the blocks
  std::size_t controller = 0;
  std::unique_ptr<Runtime> runtime;

  // That reads block `block`, or writes it.
  [[nodiscard]] std::size_t number_of(std::size_t block, bool is_read) const {
    return reads[block] + (is_read ? 0 : 1);
  }
  [[nodiscard]] const model::ExchangeTransaction& transaction(std::size_t block,
                                                              bool is_read) const {
    return *plan.exchange.find(number_of(block, is_read));
  }
  void set_trigger(std::size_t number, bool on) {
    const auto bit = plan.layouts[model::ControllerIndex(controller)].range(
        2, static_cast<std::int64_t>(number), 1);
    engine::ControllerMemory& memory = runtime->memory(controller);
    if (bit) memory.put_bits(memory.sequence(*bit), {on});
    runtime->touch();
  }
  void put(const std::vector<std::uint16_t>& words) {
    engine::ControllerMemory& memory = runtime->memory(controller);
    const engine::BitSequence at = memory.sequence(*transaction(0, false).from);
    if (!is_bit_area(blocks.front().area)) return memory.put_registers(at, words);
    std::vector<bool> bits;
    bits.reserve(words.size());
    for (const std::uint16_t word : words) bits.push_back(word != 0);
    memory.put_bits(at, bits);
  }
  // Sets off these transactions, and waits for all of them. Parallel to them.
  std::vector<RequestRecord> ask(const std::vector<std::size_t>& numbers);
};

std::vector<RequestRecord> Hand::Impl::ask(const std::vector<std::size_t>& numbers) {
  RequestRecord none;
  none.outcome = engine::Outcome::unfinished;
  none.cause = engine::Cause::ended;
  std::map<std::size_t, RequestRecord> ended;
  const engine::Finished finished = [&](const RequestRecord& record) {
    // what is left out as the run begins is not this one
    if (record.outcome == engine::Outcome::left_out) return;
    const bool asked =
        std::find(numbers.begin(), numbers.end(), record.transaction) != numbers.end();
    if (asked) ended.insert_or_assign(record.transaction, record);
  };
  if (!runtime->stopped()) {  // else nothing goes out any more
    Duration longest{};
    for (const std::size_t number : numbers) {
      set_trigger(number, true);
      const model::Endpoint& to = plan.exchange.find(number)->endpoint;
      longest += (to.timeout + to.connect_timeout) * (2 + to.retries);
    }
    constexpr Duration margin = std::chrono::seconds(10);
    const Duration limit = runtime->now() + margin + longest;
    while (ended.size() < numbers.size() && !runtime->stopped() && runtime->now() < limit) {
      runtime->run_until(runtime->now() + std::chrono::milliseconds(2), finished);
    }
    // what has gone out is waited for: whether it was written has to be known
    if (ended.size() < numbers.size()) runtime->finish(finished);
    for (const std::size_t number : numbers) {
      if (!runtime->stopped()) set_trigger(number, false);
    }
  }
  std::vector<RequestRecord> out;
  out.reserve(numbers.size());
  for (const std::size_t number : numbers) {
    const auto at = ended.find(number);
    out.push_back(at != ended.end() ? at->second : none);
  }
  return out;
}

Hand::Hand(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
Hand::~Hand() = default;

tl::expected<std::unique_ptr<Hand>, LiveError> Hand::open(const model::ResolvedPlan& plan,
                                                          const std::vector<HandBlock>& blocks,
                                                          const HandOptions& options) {
  if (plan.plan.controllers.empty()) {
    return tl::unexpected(LiveError{"the plan declares no controller that could ask"});
  }
  auto impl = std::make_unique<Impl>();
  impl->blocks = blocks;
  std::size_t number = 0;
  for (const HandBlock& block : blocks) {
    impl->reads.push_back(number);
    number += block.writes ? 2 : 1;
  }
  impl->controller = asking_controller(plan, blocks.front().slave);
  model::Findings findings;
  impl->plan = model::resolve(plan_by_hand(plan, blocks, impl->controller, options), findings);
  if (impl->plan.exchange.transactions.size() != impl->plan.plan.transactions.size()) {
    const auto at = std::find_if(findings.begin(), findings.end(), [](const model::Finding& f) {
      return f.severity == model::Severity::error;
    });
    return tl::unexpected(
        LiveError{at == findings.end() ? std::string("no request carries this") : at->message});
  }
  for (const model::ExchangeTransaction& t : impl->plan.exchange.transactions) {
    if (const auto frames = modbus::planned_frames(t); !frames) {
      return tl::unexpected(LiveError{frames.error()});
    }
  }
  impl->report = timing::analyse_longest(impl->plan);
  RuntimeOptions how;
  how.master = true;
  how.only = {impl->controller};
  how.endpoints = options.endpoints;
  how.masters.allow_writes = std::any_of(blocks.begin(), blocks.end(),
                                         [](const HandBlock& block) { return block.writes; });
  how.masters.lines_take_time = options.lines_take_time;
  how.stop = options.stop;
  auto runtime = Runtime::open(impl->plan, impl->report.model, how);
  if (!runtime) return tl::unexpected(runtime.error());
  impl->runtime = std::move(*runtime);
  return std::unique_ptr<Hand>(new Hand(std::move(impl)));
}

modbus::Framing Hand::framing() const {
  return impl_->transaction(0, true).endpoint.framing;
}
modbus::Bytes Hand::read_frame() const {
  const auto frames = modbus::planned_frames(impl_->transaction(0, true));
  return frames ? frames->request : modbus::Bytes();
}
modbus::Bytes Hand::write_frame(const std::vector<std::uint16_t>& words) const {
  const model::ExchangeTransaction& t = impl_->transaction(0, false);
  modbus::Request request = modbus::planned_request(t);
  if (is_bit_area(impl_->blocks.front().area)) {
    request.bits.clear();
    for (const std::uint16_t word : words) request.bits.push_back(word != 0);
  } else {
    request.registers = words;
  }
  const auto pdu = modbus::encode_request(request);
  if (!pdu) return {};
  const auto unit = static_cast<std::uint8_t>(t.endpoint.unit ? t.endpoint.unit->value : 0);
  const auto frame = modbus::encode_frame({unit, 1, *pdu}, t.endpoint.framing);
  return frame ? *frame : modbus::Bytes();
}

RequestRecord Hand::read(std::size_t block) {
  return impl_->ask({impl_->number_of(block, true)}).front();
}
std::vector<RequestRecord> Hand::read_all() {
  std::vector<std::size_t> numbers;
  for (std::size_t b = 0; b < impl_->blocks.size(); ++b) {
    numbers.push_back(impl_->number_of(b, true));
  }
  return impl_->ask(numbers);
}
bool Hand::is_connected() const {
  const std::size_t first = impl_->number_of(0, true);
  for (const engine::Master& master : impl_->runtime->masters()) {
    for (const engine::MasterLink& link : master.links()) {
      const bool tcp = link.queue().kind == timing::QueueKind::tcp;
      const auto& jobs = link.queue().jobs;
      const bool mine = std::any_of(jobs.begin(), jobs.end(), [&](const timing::Job& job) {
        return job.transaction == first;
      });
      if (tcp && mine) return link.is_connected();
    }
  }
  return true;
}
RequestRecord Hand::write(const std::vector<std::uint16_t>& words) {
  impl_->put(words);
  return impl_->ask({impl_->number_of(0, false)}).front();
}
bool Hand::wait(Duration time) {
  const Duration until = impl_->runtime->now() + time;
  impl_->runtime->run_until(until, [](const RequestRecord&) {});
  return !impl_->runtime->stopped();
}
const model::ResolvedPlan& Hand::plan() const {
  return impl_->plan;
}
const std::string& Hand::failure() const {
  return impl_->runtime->failure();
}

}  // namespace greymet::live
