// Masks of what points carry, of formulas, curves and brush strokes.
#pragma once

#include "core/base/curve.h"
#include "core/base/formula.h"
#include "core/base/random.h"
#include "core/base/strokes.h"
#include "core/masks/mask.h"
#include "core/props/quantities.h"

namespace arvesk {

/// A number of the points by name, through a band; places that have no such number count as `fallback`.
MaskPtr makeNumberMask(std::string name, float fallback, Band band, MaskFinish finish);

/// 1 where the text named `name` (or the prop's name) matches one of the patterns, else 0; places without such a text
/// count as no match.
MaskPtr makeTextMask(std::string name, std::string patterns, MaskFinish finish);

/// Uniform in 0…1 by point, parent or patch, through a band; bare ground draws by place instead (cells of 0.1 m).
MaskPtr makeRandomMask(Draw draw, DrawPer per, Band band, MaskFinish finish);

/// A formula over built-in numbers, attributes and the masks a, b, c (null where not joined: 0). Clamped to 0…1.
MaskPtr makeFormulaMask(Formula formula, std::vector<MaskPtr> masks, MaskFinish finish);

/// Another mask's value, reshaped by a curve.
MaskPtr makeCurveMask(MaskPtr mask, CurveShape curve, MaskFinish finish);

/// Dabs applied in order: adding goes toward 1, taking away toward 0, by strength × falloff. In three dimensions,
/// whatever the mesh.
MaskPtr makePaintedMask(const Strokes& strokes, MaskFinish finish);

/// `mask`, asked at the place that a point has on its prop, with the normal that it has there (attributes kPropPlace
/// and kPropNormal, which On props writes). 0 where the points do not carry them.
MaskPtr makeInPropFrame(MaskPtr mask);

}  // namespace arvesk
