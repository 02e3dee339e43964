#include "core/nodes/face_rule.h"

namespace arvesk::nodes {

FaceRule faceRuleOf(const NodeKind& kind, const ParamMap& values) {
  FaceRule rule;
  const ParamSpec* are = kind.findParam("faces_are");
  const ParamSpec* angle = kind.findParam("face_angle");
  if (!are || !angle) return rule;
  const auto valueOf = [&](const ParamSpec& spec) {
    const auto it = values.find(spec.id);
    return it == values.end() || !faultOf(spec, it->second).empty() ? spec.defaultValue : it->second;
  };
  are->assignField(&rule.are, valueOf(*are), are->options);
  angle->assignField(&rule.angleDeg, valueOf(*angle), {});
  return rule;
}

}  // namespace arvesk::nodes
