#include "files/request_log.h"

#include <unistd.h>

#include <cerrno>

#include <fmt/format.h>

#include "files/csv_text.h"
#include "model/duration_text.h"

namespace greymet::files {

using engine::Outcome;
using engine::RequestRecord;

std::string request_log_header() {
  CsvWriter csv;
  csv.row({"time_s", "transaction", "slave", "fc", "tries", "outcome", "exception", "response_ms",
           "words"});
  return csv.take();
}

std::string request_log_row(const model::ResolvedPlan& plan, const RequestRecord& record) {
  const model::ExchangeTransaction& t = *plan.exchange.find(record.transaction);
  const bool answered = record.outcome == Outcome::good || record.outcome == Outcome::exception;
  std::string words;
  if (record.outcome == Outcome::good) {
    for (const std::uint16_t word : record.words) {
      words += fmt::format("{}{:04X}", words.empty() ? "" : " ", word);
    }
  }
  CsvWriter csv;
  csv.row({fmt::format("{:.6f}", model::to_ms(record.end) / 1000), t.name,
           plan.target_name(t.target), fmt::format("{}", model::number_of(t.function)),
           fmt::format("{}", record.tries), std::string(to_string(record.outcome)),
           record.outcome == Outcome::exception ? fmt::format("{}", record.exception) : "",
           answered ? fmt::format("{:.3f}", model::to_ms(record.end - record.release)) : "",
           words});
  return csv.take();
}

tl::expected<RequestLog, FileError> RequestLog::begin(OutputFolder& folder, const std::string& name,
                                                      const model::ResolvedPlan& plan) {
  auto fd = folder.begin_growing(name, request_log_header());
  if (!fd) return tl::unexpected(fd.error());
  return RequestLog(plan, std::move(*fd), folder.path() + "/" + name);
}

void RequestLog::add(const RequestRecord& record, model::Duration now) {
  constexpr std::size_t most_waiting = std::size_t{1} << 16;
  waiting_ += request_log_row(*plan_, record);
  const bool due = now - written_at_ >= std::chrono::milliseconds(500);
  if (!due && waiting_.size() < most_waiting) return;
  written_at_ = now;
  (void)flush();
}

tl::expected<void, FileError> RequestLog::flush() {
  std::string_view rest = waiting_;
  while (!rest.empty() && !failure_) {
    const ssize_t written = ::write(fd_.get(), rest.data(), rest.size());
    if (written < 0 && errno == EINTR) continue;
    if (written < 0) {
      failure_ = system_failure(path_, errno).value();
      break;
    }
    rest.remove_prefix(static_cast<std::size_t>(written));
  }
  waiting_.clear();
  if (failure_) return tl::unexpected(*failure_);
  return {};
}

}  // namespace greymet::files
