// Volume file: a density, or a body by its signed distance, from a file.
#include "core/nodes/ground/placed.h"
#include "core/nodes/ground/voxels.h"
#include "core/nodes/registry.h"
#include "core/props/coloring.h"

#include <algorithm>

namespace arvesk::nodes {
namespace {

struct Params : Placed {
  std::string file;
  std::string grid;
  float unitScale = 1;
  UpAxis upAxis = UpAxis::Y;
  float times = 1;
  float edge = 0.01F;
  std::string color = "#ffffff";
};

/// The grid of that name, or the first.
Result<const VolumeGrid*> chosen(const VolumeFile& file, const std::string& name) {
  std::vector<std::string> names;
  for (const VolumeGrid& grid : file.grids) {
    if (name.empty() || grid.name == name) return &grid;
    names.push_back(grid.name);
  }
  return fail(ProblemCode::BadParameter, fmt::format("no grid is called \"{}\"", name),
              fmt::format("The file has: {}", listOf(names)));
}

Result<VolumePtr> placedDensity(const EvalContext& ctx, const Density& density, const Quat& turn, const Params& p) {
  const auto color = colorFromHex(p.color);
  if (!color) return fail(ProblemCode::BadParameter, fmt::format("\"{}\" is not a color", p.color), "Write #rrggbb");
  const glm::dmat3 whole = glm::dmat3(glm::mat3_cast(turn)) * static_cast<double>(p.size * p.unitScale);
  const Density::Lattice& own = density.lattice();
  const Density::Lattice lattice{whole * own.origin + DVec3(p.move), whole * own.axes};
  const Density::Look look{p.edge, *color};
  Result<DensityPtr> placed = density.placed(lattice, look);
  if (placed && p.times != 1) {
    Array<float> values = density.values();
    for (float& v : values) v *= p.times;
    placed = Density::of(lattice, density.bricks(), std::move(values), look);
  }
  if (!placed) return Failure(placed.error());
  if ((*placed)->most() <= p.edge)
    ctx.warn(fmt::format("nothing of it is denser than {:g} per m", p.edge),
             fmt::format("At most it is {:g} per m: lower Inside from", (*placed)->most()));
  const DVec3 origin = lattice.origin;
  return makeDense(std::move(*placed), {origin, glm::dmat3(glm::mat3_cast(turn))});
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs&, const Params& p) {
  std::vector<Problem> warnings;
  const auto file = ctx.files->volumes(p.file, ctx.task, warnings);
  if (!file) return Failure(file.error());
  for (const Problem& w : warnings) ctx.warn(w.message, w.advice);
  const auto grid = chosen(**file, p.grid);
  if (!grid) return Failure(grid.error());
  const Quat axes = p.upAxis == UpAxis::Z ? glm::angleAxis(-kPi / 2, Vec3(1, 0, 0)) : Quat(1, 0, 0, 0);
  if ((*grid)->density) {
    auto volume = placedDensity(ctx, *(*grid)->density, turnOf(p) * axes, p);
    if (!volume) return Failure(volume.error());
    ctx.say(fmt::format("\"{}\", {}, at most {:g} per m", (*grid)->name, voxelWords(**volume),
                        (*volume)->density({})->most()));
    return Outputs{std::move(*volume)};
  }
  const SurfacePtr skin = place(transformed(*(*grid)->skin, Vec3(0), axes, p.unitScale), p);
  if (skin->triangles.empty())
    return fail(ProblemCode::WrongInput, fmt::format("grid \"{}\" has no skin", (*grid)->name),
                "Its distances must change sign");
  auto volume = makeSolid({skin}, {false, {}, 0, (*grid)->voxelSize * p.unitScale * p.size}, ctx.task);
  if (!volume) return Failure(volume.error());
  warnOfOpenEdges(ctx, **volume);
  ctx.say(fmt::format("\"{}\", {}", (*grid)->name, voxelWords(**volume)));
  return Outputs{std::move(*volume)};
}

std::string sentence(const Params& p) {
  std::string text = "Volume file · " + (p.file.empty() ? "no file yet" : p.file.substr(p.file.find_last_of('/') + 1));
  return p.grid.empty() ? text : text + " · " + p.grid;
}

}  // namespace

const NodeKind& volumeFile() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "volume-file";
    k.family = Family::Ground;
    k.label = ARVESK_TEXT("node", "Volume file");
    k.help = ARVESK_TEXT("node",
                         "A volume from an OpenVDB file: a density as it is, or a body by its signed distance (a level "
                         "set), whose skin is taken at the file's own voxels. It is read again when the file changes.");
    k.glyph = "volume-file";
    k.synonyms = {"vdb", "openvdb", "import", "cloud", "smoke", "level set", "density"};
    k.outputs = {volumeOutput()};
    k.params = {
        fileParam("file", &Params::file, ARVESK_TEXT("node", "File"), ARVESK_TEXT("node", "An OpenVDB file."),
                  "volume"),
        param("grid", &Params::grid, ARVESK_TEXT("node", "Grid"),
              ARVESK_TEXT("node", "Its name in the file; empty takes the first.")),
        param("times", &Params::times, ARVESK_TEXT("node", "Times"),
              ARVESK_TEXT("node", "Factor on a density, so that it becomes what a meter of it takes of the light."))
            .hard(1e-6, 1e6)
            .usual(0.01, 10, 0.01),
        param(
            "edge", &Params::edge, ARVESK_TEXT("node", "Inside from"),
            ARVESK_TEXT("node", "The density from which on a place counts as inside, for what asks for skin or depth."))
            .in(Unit::PerMeter)
            .hard(1e-6, 1e5)
            .usual(0.001, 1, 0.001),
        param("color", &Params::color, ARVESK_TEXT("node", "Color"),
              ARVESK_TEXT("node", "Of the light that a density sends on, as #rrggbb."))
            .checked([](const std::string& text) {
              return colorFromHex(text) ? std::string() : std::string("is not a color such as #ffffff");
            })
            .written(TextForm::Color),
    };
    addUnitParams(k.params, &Params::unitScale, &Params::upAxis, kUnitHelp);
    addPlacedParams<Params>(k.params, false, true);
    k.example.params = {{"file", std::string("example.vdb")}};
    k.trial.params = {{"file", std::string("kit/spray.vdb")}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
