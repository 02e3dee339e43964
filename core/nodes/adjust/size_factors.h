// Two sizes, or two per own axis, to go between: the parameters that nodes which size points by something share.
#pragma once

#include "core/plan/node_kind.h"

namespace arvesk::nodes {

enum class SizeBy { Uniform, PerAxis };
struct SizeFactors {
  SizeBy by = SizeBy::Uniform;
  Range size{0.5F, 1.5F};
  Range sizeX{1, 1};
  Range sizeY{0.5F, 1.5F};
  Range sizeZ{1, 1};
  float largest() const {
    if (by == SizeBy::Uniform) return std::max(size.from, size.to);
    return std::max({sizeX.from, sizeX.to, sizeY.from, sizeY.to, sizeZ.from, sizeZ.to});
  }
  Vec3 at(float share) const {
    const auto between = [&](const Range& r) { return r.from + (r.to - r.from) * share; };
    return by == SizeBy::Uniform ? Vec3(between(size)) : Vec3(between(sizeX), between(sizeY), between(sizeZ));
  }
};

/// `help` says where the first and where the second one holds.
template <typename P>
void addSizeParams(std::vector<ParamSpec>& params, const char* help) {
  params.push_back(
      param<P>("by", static_cast<SizeBy P::*>(&P::by), ARVESK_TEXT("node", "Size"),
               ARVESK_TEXT("node", "One factor, or one per own axis."),
               {{"uniform", ARVESK_TEXT("node", "Uniform")}, {"per-axis", ARVESK_TEXT("node", "Per axis")}}));
  const auto factor = [&](const char* id, Range P::*member, const char* label, const char* by) {
    params.push_back(param<P>(id, member, label, help).hard(0, 1000).usual(0, 4, 0.05).shown("by", {by}));
  };
  factor("size", &P::size, ARVESK_TEXT("node", "Factor"), "uniform");
  factor("size_x", &P::sizeX, ARVESK_TEXT("node", "Factor X"), "per-axis");
  factor("size_y", &P::sizeY, ARVESK_TEXT("node", "Factor Y"), "per-axis");
  factor("size_z", &P::sizeZ, ARVESK_TEXT("node", "Factor Z"), "per-axis");
}

}  // namespace arvesk::nodes
