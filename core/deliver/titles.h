// What things of an evaluation are called.
#pragma once

#include "core/plan/evaluator.h"

namespace arvesk {

/// The title of a node of the opened plan, or of an instance of a sub-plan, whose nodes stand there in its place.
inline std::string titleOf(const Evaluation& evaluation, const std::string& uid) {
  if (!evaluation.opened) return {};
  const Plan& plan = evaluation.opened->plan;
  if (const Node* node = plan.find(uid)) return node->title;
  const auto lastOf = [](const std::string& titles) {  // "Outer › Inner › "
    const std::string between = " › ";
    const std::string all = titles.substr(0, titles.size() - between.size());
    const std::size_t last = all.rfind(between);
    return last == std::string::npos ? all : all.substr(last + between.size());
  };
  for (const Node& node : plan.nodes)
    if (node.liesIn.instance == uid) return lastOf(node.liesIn.titles);
  for (const auto& [inner, instance] : evaluation.opened->instances)
    if (instance.liesIn.instance == uid) return lastOf(instance.liesIn.titles);
  return {};
}

}  // namespace arvesk
