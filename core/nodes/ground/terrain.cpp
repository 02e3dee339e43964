// Terrain: a height image as ground.
#include "core/nodes/ground/placed.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params : Placed {
  std::string file;
  std::string colorFile;
  float width = 100;   // m along X; the depth follows from the picture's shape
  float lowest = 0;    // m at black
  float highest = 20;  // m at white
};

Surface gridOf(const Task& task, const Image& image, const Params& p) {
  Surface s;
  s.name = "terrain";
  const std::size_t w = static_cast<std::size_t>(image.width);
  const std::size_t h = static_cast<std::size_t>(image.height);
  const float step = p.width / static_cast<float>(image.width - 1);
  const float depth = step * static_cast<float>(image.height - 1);
  const auto heightAt = [&](std::size_t x, std::size_t y) {
    return p.lowest + (p.highest - p.lowest) * image.values[(y * w + x) * static_cast<std::size_t>(image.channels)];
  };
  Array<Vec3> positions(w * h);
  Array<Vec3> normals(w * h);
  Array<Vec2> uvs(w * h);
  const auto vertexRow = [&](std::size_t y) {
    const std::size_t up = y > 0 ? y - 1 : y;
    const std::size_t down = std::min(y + 1, h - 1);
    for (std::size_t x = 0; x < w; ++x) {
      const std::size_t i = y * w + x;
      positions[i] = {static_cast<float>(x) * step - 0.5F * p.width, heightAt(x, y),
                      static_cast<float>(y) * step - 0.5F * depth};
      uvs[i] = {(static_cast<float>(x) + 0.5F) / static_cast<float>(w),
                (static_cast<float>(y) + 0.5F) / static_cast<float>(h)};
      const std::size_t left = x > 0 ? x - 1 : x;
      const std::size_t right = std::min(x + 1, w - 1);
      const float slopeX = (heightAt(right, y) - heightAt(left, y)) / (static_cast<float>(right - left) * step);
      const float slopeZ = (heightAt(x, down) - heightAt(x, up)) / (static_cast<float>(down - up) * step);
      normals[i] = glm::normalize(Vec3(-slopeX, 1, -slopeZ));
    }
  };
  Array<UVec3> triangles((w - 1) * (h - 1) * 2);
  const auto faceRow = [&](std::size_t y) {
    for (std::size_t x = 0; x + 1 < w; ++x) {
      const auto a = static_cast<std::uint32_t>(y * w + x);
      const auto b = static_cast<std::uint32_t>(a + w);
      const std::size_t f = (y * (w - 1) + x) * 2;
      triangles[f] = {a, b, b + 1};
      triangles[f + 1] = {a, b + 1, a + 1};
    }
  };
  parallelPieces(task, h, 16, [&](std::size_t begin, std::size_t end) {
    for (std::size_t y = begin; y < end; ++y) {
      vertexRow(y);
      if (y + 1 < h) faceRow(y);
    }
  });
  s.positions = std::move(positions);
  s.normals = std::move(normals);
  s.uvs = std::move(uvs);
  s.triangles = std::move(triangles);
  return s;
}

/// Without the faces at these vertices. The others keep their keys, so that what was sown on them stays when a hole is
/// filled.
void leaveHoles(Surface& s, const std::vector<std::uint32_t>& vertices) {
  std::vector<std::uint8_t> isMissing(s.positions.size(), 0);
  for (const std::uint32_t v : vertices) isMissing[v] = 1;
  Array<UVec3> triangles;
  Array<std::uint64_t> keys;
  for (std::size_t f = 0; f < s.triangles.size(); ++f) {
    const UVec3 t = s.triangles[f];
    if (isMissing[t.x] || isMissing[t.y] || isMissing[t.z]) continue;
    triangles.push_back(t);
    keys.push_back(f);
  }
  s.triangles = std::move(triangles);
  s.faceKeys = std::move(keys);
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs&, const Params& p) {
  auto image = ctx.files->image(p.file, ctx.task);
  if (!image) return Failure(image.error());
  const Image& im = **image;
  if (im.width < 2 || im.height < 2)
    return fail(ProblemCode::FileUnreadable,
                fmt::format("{} is {} × {} pixels, needs 2 × 2 at least", p.file, im.width, im.height));
  const double vertices = static_cast<double>(im.width) * im.height;
  if (vertices > 70e6)
    return fail(ProblemCode::TooMany, fmt::format("{} has {:.0f} pixels, the limit is 70 million", p.file, vertices),
                "Use a smaller picture");
  if (p.highest < p.lowest)
    return fail(ProblemCode::BadParameter, fmt::format("highest ({} m) is below lowest ({} m)", p.highest, p.lowest),
                "Swap the two");
  if (im.bitsPerChannel == 8)
    ctx.warn(fmt::format("{} is 8-bit; heights will step by {:.2f} m", p.file, (p.highest - p.lowest) / 255),
             "Use a 16-bit image");
  Surface s = gridOf(ctx.task, im, p);
  if (ctx.task.isCancelled()) return Failure(cancelled());
  if (!im.missing.empty()) {
    leaveHoles(s, im.missing);
    ctx.warn(fmt::format("{} of {:.0f} pixels of {} have no height; there the ground has holes", im.missing.size(),
                         vertices, p.file),
             "Fill them in the image where there is to be ground");
    if (s.triangles.empty())
      return fail(ProblemCode::FileUnreadable, "no four pixels beside each other have heights", "Fill the image",
                  p.file);
  }
  Material material;
  material.name = "ground";
  if (!p.colorFile.empty()) {
    auto colors = ctx.files->image(p.colorFile, ctx.task);
    if (!colors) return Failure(colors.error());
    material.baseColor = Vec4(1);
    material.texture = std::make_shared<const Texture>(textureOf(**colors));
  }
  s.materials.push_back(std::move(material));
  return Outputs{place(std::move(s), p, false)};
}

std::string sentence(const Params& p) {
  return fmt::format("Terrain · {:g} m · {:g} to {:g} m", p.width, p.lowest, p.highest);
}

}  // namespace

const NodeKind& terrain() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "terrain";
    k.family = Family::Ground;
    k.label = ARVESK_TEXT("node", "Terrain");
    k.help = ARVESK_TEXT("node",
                         "Makes ground from a height image, seen from above and centered on the origin; black is the "
                         "lowest and white the highest height, and each pixel becomes a vertex. Where a pixel has no "
                         "height (NaN, or what a TIFF calls no data) the ground has a hole.");
    k.glyph = "terrain";
    k.synonyms = {"height", "landscape", "heightfield", "ground"};
    k.outputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface")}};
    k.params = {
        fileParam("file", &Params::file, ARVESK_TEXT("node", "Height image"),
                  ARVESK_TEXT("node", "PNG, TIFF or EXR; 16 bits or more, since 8 bits make steps."), "image"),
        fileParam("color_file", &Params::colorFile, ARVESK_TEXT("node", "Color image"),
                  ARVESK_TEXT("node", "What the ground looks like from above; may be left out."), "image")
            .optional(),
        param("width", &Params::width, ARVESK_TEXT("node", "Width"),
              ARVESK_TEXT("node", "Extent along X; the depth along Z follows from the image's shape."))
            .in(Unit::Meter)
            .hard(0.01, 1e5)
            .usual(10, 1000, 1),
        param("lowest", &Params::lowest, ARVESK_TEXT("node", "Lowest"), ARVESK_TEXT("node", "Height of black."))
            .in(Unit::Meter)
            .hard(-1e4, 1e4)
            .usual(-50, 50, 0.5),
        param("highest", &Params::highest, ARVESK_TEXT("node", "Highest"), ARVESK_TEXT("node", "Height of white."))
            .in(Unit::Meter)
            .hard(-1e4, 1e4)
            .usual(0, 200, 0.5),
    };
    addPlacedParams<Params>(k.params);
    k.example.params = {{"file", std::string("example.png")}, {"width", 24.0}, {"lowest", 0.0}, {"highest", 5.0}};
    k.trial.params = {{"file", std::string("tern-cove-wet.png")}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
