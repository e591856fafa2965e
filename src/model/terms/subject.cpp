#include "model/subject.h"

namespace greymet::model {

std::string_view to_string(SubjectKind kind) {
  switch (kind) {
    case SubjectKind::plan: return "plan";
    case SubjectKind::exchange: return "exchange";
    case SubjectKind::supervision: return "supervision";
    case SubjectKind::review: return "review";
    case SubjectKind::controller: return "controller";
    case SubjectKind::controller_model: return "model";
    case SubjectKind::line: return "line";
    case SubjectKind::gateway: return "gateway";
    case SubjectKind::slave: return "slave";
    case SubjectKind::point: return "point";
    case SubjectKind::tag: return "tag";
    case SubjectKind::transaction: return "transaction";
    case SubjectKind::copy: return "copy";
    case SubjectKind::want: return "want";
    case SubjectKind::heartbeat: return "heartbeat";
    case SubjectKind::path: return "path";
    case SubjectKind::accept: return "accept";
  }
  return {};
}

std::string to_text(const Subject& subject) {
  std::string text(to_string(subject.kind));
  return subject.name.empty() ? text : text + ' ' + subject.name;
}

}  // namespace greymet::model
