// Tracing pictures: passes over a film, coarse first, each interruptible within a few milliseconds.
#pragma once

#include "core/picture/film.h"
#include "core/picture/scene.h"

namespace arvesk {

struct FilmGuide;

/// One pass: `step` 4 or 2 gives a coarse picture (one ray each 4 × 4 or 2 × 2 pixels, no soft sky shadow) and starts
/// the film anew; `step` 1 adds one sample per pixel (the first one starts anew). False when it was cancelled; the film
/// is then as it was or in part new.
/// `cut` hides what lies on its side; faces that are seen from within by it show as cut.
/// `guide` gathers what cleaned() needs, in passes of `step` 1.
bool renderPass(const PictureScene& scene, const Camera& camera, int step, Film& film, const Task& task,
                const std::optional<Cut>& cut = {}, FilmGuide* guide = nullptr);

/// Draws points as discs that face their normal, in a size on screen that can always be seen, where nothing of the film
/// is in front. `value` colors them by scaleColor, one per point, or says which color of the palette (sRGB) each has
/// when there is one; empty draws all in ink. In true size each disc covers its point's footprint, but never less than
/// a third of `pixelRadius`.
void drawPoints(const Points& points, const Array<float>& value, const Camera& camera, float pixelRadius,
                const Film& film, std::uint32_t* developed, const std::optional<Cut>& cut = {},
                const std::vector<Vec3>& palette = {}, bool isTrueSize = false);

/// Colors to tell things apart, sRGB, as many as are asked for: hues go round by the golden angle, in three
/// lightnesses, so that neighbors differ.
std::vector<Vec3> groupColors(std::size_t count);

/// A whole film; null after a cancel. `clean` is how much of the grain of light is taken out (cleaned()).
std::optional<Film> tracedFilm(const PictureScene& scene, const Camera& camera, int width, int height, int samples,
                               const Task& task, const std::optional<Cut>& cut = {}, float clean = 0);

/// A finished picture, 0xffRRGGBB row by row from the top; black after a cancel.
Array<std::uint32_t> renderPicture(const PictureScene& scene, const Camera& camera, int width, int height, int samples,
                                   const Task& task, const std::optional<Cut>& cut = {});

/// Writes 8-bit PNG.
Result<void> writePng(const std::string& path, const Array<std::uint32_t>& pixels, int width, int height);

/// A flat arrow before the front (+Z) of what fills the box, at its foot.
SurfacePtr frontArrowOf(const Box3& box);

/// A small picture of a prop on a plain background, with an arrow before its front.
Array<std::uint32_t> renderThumbnail(const PropPtr& prop, int width, int height, const Vec3& backgroundSrgb,
                                     const Task& task);

}  // namespace arvesk
