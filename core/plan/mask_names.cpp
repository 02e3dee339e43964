#include "core/plan/mask_names.h"

#include "core/props/quantities.h"

#include <fmt/format.h>

#include <set>

namespace arvesk {

void warnOfMaskNames(const NodeKind& kind, const Inputs& inputs, std::vector<Problem>& problems) {
  const PointsPtr points = kind.inputs.empty() ? nullptr : inputs.points(kind.inputs.front().id);
  if (points && points->count == 0) return;
  const Points candidates;  // where points are made, they carry nothing yet
  const Points& asked = points ? *points : candidates;
  for (const InputSpec& spec : kind.inputs) {
    const MaskPtr mask = spec.type == ValueType::Mask && kind.family != Family::Mask ? inputs.mask(spec.id) : nullptr;
    if (!mask) continue;
    std::set<std::string> numbers;
    std::set<std::string> texts;
    mask->addNames(numbers, texts);
    const auto tell = [&](const char* sort, const std::string& name, const std::vector<std::string>& known) {
      problems.push_back({ProblemCode::BadParameter,
                          Severity::Warning,
                          {},
                          fmt::format("{} asks for the {} \"{}\", which {} not carry", spec.label, sort, name,
                                      points ? "these points do" : "candidates do"),
                          known.empty() ? fmt::format("They carry no {}", sort) : "They carry: " + listOf(known)});
    };
    for (const std::string& name : numbers)
      if (!readNumbers(asked, name, 0, 0, nullptr)) tell("number", name, numberNames(asked));
    for (const std::string& name : texts) {
      const std::vector<std::string> known = textNames(asked);
      if (std::find(known.begin(), known.end(), name) == known.end() && !(name == "prop" && asked.kit))
        tell("text", name, known);
    }
  }
}

}  // namespace arvesk
