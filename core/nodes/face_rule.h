// What counts as a face: the parameters that every node which works on faces shares.
#pragma once

#include "core/geometry/faces.h"
#include "core/plan/node_kind.h"

namespace arvesk::nodes {

/// The rule that a node of this kind works by; the default where it has none.
FaceRule faceRuleOf(const NodeKind& kind, const ParamMap& values);

template <typename P>
void addFaceParams(std::vector<ParamSpec>& params, const char* shownBy = nullptr, const char* shownFor = nullptr) {
  ParamSpec are = param<P>("faces_are", static_cast<FacesAre P::*>(&P::are), ARVESK_TEXT("node", "Faces are"),
                           ARVESK_TEXT("node",
                                       "Quads: two triangles that make a flat, convex quad. Flat areas: all neighbors "
                                       "joined within an angle. Triangles: each on its own."),
                           {{"quads", ARVESK_TEXT("node", "Quads")},
                            {"flat-areas", ARVESK_TEXT("node", "Flat areas")},
                            {"triangles", ARVESK_TEXT("node", "Triangles")}});
  if (shownBy) are.shown(shownBy, {shownFor});
  params.push_back(std::move(are));
  params.push_back(param<P>("face_angle", static_cast<float P::*>(&P::angleDeg), ARVESK_TEXT("node", "Flat within"),
                            ARVESK_TEXT("node", "The most that neighbors which are one face may lean to each other."))
                       .in(Unit::Degree)
                       .hard(0, 180)
                       .usual(0, 30, 0.5)
                       .shown("faces_are", {"quads", "flat-areas"}));
}

}  // namespace arvesk::nodes
