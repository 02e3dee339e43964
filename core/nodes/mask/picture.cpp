// Picture mask: an image laid over the ground.
#include "core/nodes/mask/finish.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class MapBy { Above, Uv };
enum class ExtentOf { Ground, Own };
struct Params : MaskFinish {
  std::string file;
  MapBy by = MapBy::Above;
  ExtentOf extentOf = ExtentOf::Ground;
  Vec3 center{0};
  Vec3 extent{100, 0, 100};
  PictureChannel channel = PictureChannel::Brightness;
  int repeats = 1;
  bool tiles = false;
  int blur = 0;
  Band band{0, 1, 1, 1};
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  auto image = ctx.files->image(p.file, ctx.task);
  if (!image) return Failure(image.error());
  if (const std::size_t missing = (*image)->missing.size(); missing > 0)
    ctx.warn(fmt::format("{} pixels of {} have no value and count as the nearest that has one", missing, p.file),
             "Fill them in the image");
  PictureMap map;
  map.isByUv = p.by == MapBy::Uv;
  map.channel = p.channel;
  map.repeats = p.repeats;
  map.tiles = p.tiles;
  map.corner = Vec2(p.center.x, p.center.z) - 0.5F * Vec2(p.extent.x, p.extent.z);
  map.extent = {p.extent.x, p.extent.z};
  if (p.extentOf == ExtentOf::Ground && !map.isByUv) {
    if (!in.surface())
      return fail(ProblemCode::MissingInput, "the picture is to cover the ground, but none is connected",
                  "Connect a surface to Ground, or set an extent of its own");
    const Box3 box = in.surface()->bounds();
    map.corner = {box.min.x, box.min.z};
    map.extent = {box.extent().x, box.extent().z};
  }
  if (!(map.extent.x > 0) || !(map.extent.y > 0)) return fail(ProblemCode::BadParameter, "the picture's extent is 0 m");
  ImagePtr picture = *image;
  if (p.blur > 0) picture = std::make_shared<const Image>(blurred(*picture, p.blur));
  return Outputs{makePictureMask(std::move(picture), map, p.band, p)};
}

std::string sentence(const Params&) { return "picture"; }

}  // namespace

const NodeKind& picture() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "picture";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Picture");
    k.help = ARVESK_TEXT("node",
                         "The brightness, or one channel, of an image laid over the ground as seen from above, or by "
                         "the ground's uv, through a band. Outside the picture it is 0 unless it tiles.");
    k.glyph = "picture";
    k.synonyms = {"image", "texture", "map", "bitmap"};
    k.inputs = {groundInput(true)};
    k.outputs = {maskOutput()};
    const auto meters = [](ParamSpec spec) { return spec.in(Unit::Meter).hard(-1e5, 1e5).usual(-100, 100, 0.5); };
    k.params = {
        fileParam("file", &Params::file, ARVESK_TEXT("node", "Picture"),
                  ARVESK_TEXT("node", "PNG, TIFF, EXR, JPEG and others."), "image"),
        param("by", &Params::by, ARVESK_TEXT("node", "Projection"),
              ARVESK_TEXT("node", "From above, or by the uv of the ground under the point."),
              {{"above", ARVESK_TEXT("node", "From above")}, {"uv", ARVESK_TEXT("node", "By uv")}}),
        param("extent_of", &Params::extentOf, ARVESK_TEXT("node", "Covers"),
              ARVESK_TEXT("node", "The whole of the connected ground, or an extent of its own."),
              {{"ground", ARVESK_TEXT("node", "The ground")}, {"own", ARVESK_TEXT("node", "Own extent")}})
            .shown("by", {"above"}),
        meters(param("center", &Params::center, ARVESK_TEXT("node", "Center"),
                     ARVESK_TEXT("node", "Middle of the picture, X and Z.")))
            .shown("extent_of", {"own"}),
        meters(param("extent", &Params::extent, ARVESK_TEXT("node", "Extent"),
                     ARVESK_TEXT("node", "Size of the picture along X and Z.")))
            .shown("extent_of", {"own"}),
        param("channel", &Params::channel, ARVESK_TEXT("node", "Channel"),
              ARVESK_TEXT("node", "What of the picture counts."),
              {{"brightness", ARVESK_TEXT("node", "Brightness")},
               {"red", ARVESK_TEXT("node", "Red")},
               {"green", ARVESK_TEXT("node", "Green")},
               {"blue", ARVESK_TEXT("node", "Blue")},
               {"alpha", ARVESK_TEXT("node", "Alpha")}}),
        param("repeats", &Params::repeats, ARVESK_TEXT("node", "Repeats"),
              ARVESK_TEXT("node", "How many times the picture fits into its extent."))
            .hard(1, 1000)
            .usual(1, 20, 1),
        param("tiles", &Params::tiles, ARVESK_TEXT("node", "Tiles"),
              ARVESK_TEXT("node", "Goes on outside the extent.")),
        param("blur", &Params::blur, ARVESK_TEXT("node", "Blur"), ARVESK_TEXT("node", "Softens the picture."))
            .in(Unit::Pixel)
            .hard(0, 500)
            .usual(0, 50, 1),
        param(
            "band", &Params::band, ARVESK_TEXT("node", "Value"),
            ARVESK_TEXT("node", "Soft range of the picture's values: fade-in start, full from, full to, fade-out end."))
            .hard(-100, 100)
            .usual(0, 1, 0.01),
    };
    addFinishParams<Params>(k.params);
    k.example.params = {{"file", std::string("example.png")}};
    k.example.joins = {"ground"};
    k.trial.params = {{"file", std::string("tern-cove-wet.png")}};
    reaches<Params>(k, [](const Params& p) {
      return p.by == MapBy::Above && p.extentOf == ExtentOf::Ground ? Reach::whole(false) : Reach::none();
    });
    putUnder(k.params, ARVESK_TEXT("node", "Where it lies"), {"extent_of", "center", "extent", "repeats", "tiles"});
    putUnder(k.params, ARVESK_TEXT("node", "Reading"), {"channel", "blur"});
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
