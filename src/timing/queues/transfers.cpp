#include "timing/transfers.h"

#include <algorithm>

#include "timing/queue_statistics.h"
#include "timing/timing_model.h"

namespace greymet::timing {
namespace {

// From the begin of the reply to the completion, at the longest and at the shortest.
struct ReplyPart {
  Duration longest{};
  Duration shortest{};
};

ReplyPart reply_part(const TransactionTimes& times) {
  ReplyPart part;
  if (times.serial) part.shortest = times.serial->reply + times.serial->gap;
  part.longest = part.shortest;
  // the port may add its latency behind the reply
  if (times.serial) part.longest += times.serial->reply_silence + times.serial->latency_longest;
  if (times.network) {
    part.longest += times.network->back_longest;
    // the slave's own pause may stand behind its reply
    part.longest += times.network->pause;
  }
  return part;
}

}  // namespace

std::vector<Transfer> transfers_of(const Job& job, std::size_t index, bool is_read,
                                   const std::vector<Service>& services) {
  const ReplyPart reply = reply_part(job.times);
  std::vector<Transfer> transfers;
  for (const Service& service : services) {
    if (service.job != index || !service.good) continue;
    if (is_read) {
      transfers.push_back({std::max(service.start, service.end - reply.longest), service.end});
    } else {
      transfers.push_back({service.start, std::max(service.start, service.end - reply.shortest)});
    }
  }
  return transfers;
}

Duration least_transfer(const TransactionTimes& times, bool is_read) {
  if (!times.serial) return {};
  return is_read ? times.serial->reply : times.serial->request;
}

}  // namespace greymet::timing
