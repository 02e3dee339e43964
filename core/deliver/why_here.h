// Why here: the story of one spot. Which points were near it and which node left each out, by what value; and of one
// placement every node that touched it and what it did.
#pragma once

#include "core/plan/evaluator.h"

namespace arvesk {

struct WhyPoint {
  std::uint64_t id = 0;
  Vec3 place{0};
  float distance = 0;     // m from the spot
  bool isPlaced = false;  // it stands in an output; else `node` left it out
  std::string node;       // uid
  std::string what;       // "slope 41.2°, limit 34° to 40°", or the prop's name
};

/// How a Scatter node sees the spot itself: its "where" there.
struct WhySource {
  std::string node;
  std::string what;
};

struct WhyHere {
  std::vector<WhyPoint> points;  // nearest first
  std::size_t pointCount = 0;    // all that were found; `points` may be fewer
  std::vector<WhySource> sources;
};

/// The points within `radius` m of `spot` that a node left out, or that an output holds; at most `most` of them.
/// `evaluation` is that of `plan` in `quality`. The text comes from each node's own explanation, so it is what decided.
/// Complete or cancelled (then empty).
WhyHere whyHere(const Plan& plan, const Evaluation& evaluation, Quality quality, const Vec3& spot, float radius,
                std::size_t most, const Task& task);

/// One node on a point's way and what it did to it.
struct WhyStep {
  std::string node;
  std::string what;
};

/// The way of the point `id` of `node`'s first output, from where it was made. Clump members go on with their parent's
/// way before it.
std::vector<WhyStep> storyOf(const Plan& plan, const Evaluation& evaluation, Quality quality, const std::string& node,
                             std::uint64_t id, const Task& task);

}  // namespace arvesk
