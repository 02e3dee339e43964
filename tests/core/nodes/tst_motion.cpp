// Mesh files that move: nodes, shapes and skins against sums by hand, and points that ride on and in what bends.
#include "core/formats/asset_cache.h"
#include "core/formats/mesh_reader.h"
#include "core/geometry/faces.h"
#include "core/geometry/motion.h"
#include "core/spatial/hand_ground.h"
#include "core/spatial/surface_index.h"
#include "core/spatial/volume.h"
#include "tests/support/kinds.h"
#include "tests/support/mutated.h"
#include "tests/support/plans.h"

#include <nlohmann/json.hpp>

#include <fstream>
#include <numeric>

using namespace arvesk;
using namespace arvesk::test;
using nlohmann::json;

namespace {

/// A .glb in the making.
class MadeGltf {
 public:
  json doc{{"asset", {{"version", "2.0"}}},
           {"scene", 0},
           {"scenes", json::array({json{{"nodes", json::array({0})}}})},
           {"nodes", json::array()},
           {"accessors", json::array()},
           {"bufferViews", json::array()}};

  template <typename T>
  int view(const std::vector<T>& values) {
    while (m_bytes.size() % 4 != 0) m_bytes.push_back(0);
    const std::size_t size = values.size() * sizeof(T);
    doc["bufferViews"].push_back({{"buffer", 0}, {"byteOffset", m_bytes.size()}, {"byteLength", size}});
    m_bytes.append(reinterpret_cast<const char*>(values.data()), size);
    return static_cast<int>(doc["bufferViews"].size()) - 1;
  }
  int floats(const std::vector<float>& values, const char* type, std::size_t width) {
    return accessor({{"bufferView", view(values)}, {"componentType", 5126}}, type, values.size() / width);
  }
  int shorts(const std::vector<std::uint16_t>& values, const char* type, std::size_t width) {
    return accessor({{"bufferView", view(values)}, {"componentType", 5123}}, type, values.size() / width);
  }
  /// Zeros, but for some rows.
  int sparse(std::size_t count, const std::vector<std::uint16_t>& rows, const std::vector<float>& values) {
    const int where = view(rows);
    const int what = view(values);
    return accessor({{"componentType", 5126},
                     {"sparse",
                      {{"count", rows.size()},
                       {"indices", {{"bufferView", where}, {"componentType", 5123}}},
                       {"values", {{"bufferView", what}}}}}},
                    "VEC3", count);
  }
  int mesh(const std::vector<float>& places, const std::vector<std::uint16_t>& corners, json more = json::object()) {
    json primitive{{"attributes", {{"POSITION", floats(places, "VEC3", 3)}}},
                   {"indices", shorts(corners, "SCALAR", 1)}};
    primitive["attributes"].update(more.value("attributes", json::object()));
    if (more.contains("targets")) primitive["targets"] = more["targets"];
    json made{{"primitives", json::array({primitive})}};
    if (more.contains("weights")) made["weights"] = more["weights"];
    doc["meshes"].push_back(made);
    return static_cast<int>(doc["meshes"].size()) - 1;
  }
  /// A track of a clip; `clips` are made as they are named.
  void track(const std::string& clip, int node, const char* path, const std::vector<float>& times,
             const std::vector<float>& values, std::size_t width, const char* between = "LINEAR") {
    json* found = nullptr;
    for (json& c : doc["animations"])
      if (c["name"] == clip) found = &c;
    if (!found) {
      doc["animations"].push_back({{"name", clip}, {"channels", json::array()}, {"samplers", json::array()}});
      found = &doc["animations"].back();
    }
    const int input = floats(times, "SCALAR", 1);
    const int output = floats(values, width == 4 ? "VEC4" : width == 3 ? "VEC3" : "SCALAR", width);
    (*found)["channels"].push_back(
        {{"sampler", (*found)["samplers"].size()}, {"target", {{"node", node}, {"path", path}}}});
    (*found)["samplers"].push_back({{"input", input}, {"output", output}, {"interpolation", between}});
  }
  void save(const std::string& path) {
    while (m_bytes.size() % 4 != 0) m_bytes.push_back(0);
    doc["buffers"] = json::array({{{"byteLength", m_bytes.size()}}});
    std::string text = doc.dump();
    while (text.size() % 4 != 0) text.push_back(' ');
    std::ofstream out(path, std::ios::binary);
    const auto word = [&](std::size_t v) {
      const auto w = static_cast<std::uint32_t>(v);
      out.write(reinterpret_cast<const char*>(&w), 4);
    };
    out << "glTF";
    word(2), word(28 + text.size() + m_bytes.size());
    word(text.size()), out << "JSON" << text;
    word(m_bytes.size()), out.write("BIN\0", 4), out << m_bytes;
  }

 private:
  int accessor(json what, const char* type, std::size_t count) {
    what["type"] = type;
    what["count"] = count;
    doc["accessors"].push_back(std::move(what));
    return static_cast<int>(doc["accessors"].size()) - 1;
  }
  std::string m_bytes;
};

/// Places and corners of a level sheet of n × n cells over `extent` m.
struct Sheet {
  std::vector<float> places;
  std::vector<std::uint16_t> corners;
};
Sheet sheetOf(int n, float extent) {
  Sheet out;
  for (int z = 0; z <= n; ++z)
    for (int x = 0; x <= n; ++x)
      for (const float v : {(static_cast<float>(x) / static_cast<float>(n) - 0.5F) * extent, 0.0F,
                            (static_cast<float>(z) / static_cast<float>(n) - 0.5F) * extent})
        out.places.push_back(v);
  for (int z = 0; z < n; ++z)
    for (int x = 0; x < n; ++x) {
      const int a = z * (n + 1) + x;
      for (const int v : {a, a + n + 1, a + n + 2, a, a + n + 2, a + 1})
        out.corners.push_back(static_cast<std::uint16_t>(v));
    }
  return out;
}

/// A mast that turns, an arm on it that glides (curved), and a tip on that which grows at once.
void saveMill(const std::string& path) {
  MadeGltf file;
  const int quad = file.mesh({0, 0, 0, 1, 0, 0, 1, 0, 1, 0, 0, 1}, {0, 2, 1, 0, 3, 2});
  file.doc["nodes"] = json::array({{{"name", "mast"}, {"translation", {1, 0, 0}}, {"children", {1}}},
                                   {{"name", "arm"}, {"mesh", quad}, {"children", {2}}},
                                   {{"name", "tip"}, {"translation", {0, 2, 0}}}});
  const float half = std::sqrt(0.5F);
  file.track("goes", 0, "rotation", {0, 2}, {0, 0, 0, 1, 0, half, 0, half}, 4);
  // Each key: tangent in, value, tangent out.
  file.track("goes", 1, "translation", {0, 1}, {0, 0, 0, 0, 0, 0, 1, 0, 0, /**/ 0, 0, 0, 0, 4, 0, 0, 0, 0}, 3,
             "CUBICSPLINE");
  file.track("goes", 2, "scale", {0, 1}, {1, 1, 1, 3, 3, 3}, 3, "STEP");
  file.track("other", 0, "translation", {0, 1}, {1, 0, 0, 5, 0, 0}, 3);
  file.track("other", 2, "scale", {0, 1}, {1, 1, 1, 2, 2, 2}, 3);
  file.save(path);
}

/// A sheet of 20 m that waves up and down by two shapes, within 2 s.
void saveSheet(const std::string& path, int n = 12) {
  MadeGltf file;
  const Sheet sheet = sheetOf(n, 20);
  std::vector<float> wave(sheet.places.size(), 0);
  std::vector<float> lean(sheet.places.size(), 0);
  for (std::size_t i = 0; i < wave.size(); i += 3) {
    wave[i + 1] = 1.5F * std::sin(sheet.places[i] * 0.4F) * std::cos(sheet.places[i + 2] * 0.3F);
    lean[i + 1] = 0.2F * sheet.places[i];
    lean[i] = -0.1F * sheet.places[i];
  }
  json more;
  for (const std::vector<float>& by : {wave, lean})
    more["targets"].push_back({{"POSITION", file.floats(by, "VEC3", 3)}});
  const int mesh = file.mesh(sheet.places, sheet.corners, more);
  file.doc["nodes"] = json::array({{{"name", "sheet"}, {"mesh", mesh}}});
  file.track("waves", 0, "weights", {0, 1, 2}, {0, 0, 1, 0.5F, -0.5F, 1}, 1);
  file.save(path);
}

/// A bar of `length` m along Y, 1 m thick, that a joint in its middle bends to the side within 1 s.
void saveBar(const std::string& path, float length, float bendDeg) {
  constexpr int kRows = 24;
  MadeGltf file;
  std::vector<float> places;
  std::vector<std::uint16_t> corners;
  std::vector<std::uint16_t> joints;
  std::vector<float> weights;
  for (int r = 0; r <= kRows; ++r)
    for (int k = 0; k < 4; ++k) {
      const float y = length * static_cast<float>(r) / kRows;
      for (const float v : {k == 0 || k == 3 ? -0.5F : 0.5F, y, k < 2 ? -0.5F : 0.5F}) places.push_back(v);
      const float upper = std::clamp((y - length / 2) / (length / 3) + 0.5F, 0.0F, 1.0F);
      for (const int j : {0, 1, 0, 0}) joints.push_back(static_cast<std::uint16_t>(j));
      for (const float w : {1 - upper, upper, 0.0F, 0.0F}) weights.push_back(w);
    }
  const auto quad = [&](int a, int b, int c, int d) {
    for (const int v : {a, b, c, a, c, d}) corners.push_back(static_cast<std::uint16_t>(v));
  };
  for (int r = 0; r < kRows; ++r)
    for (int k = 0; k < 4; ++k) quad(r * 4 + k, r * 4 + 4 + k, r * 4 + 4 + (k + 1) % 4, r * 4 + (k + 1) % 4);
  quad(0, 1, 2, 3);
  quad(kRows * 4 + 3, kRows * 4 + 2, kRows * 4 + 1, kRows * 4);
  const int mesh = file.mesh(
      places, corners,
      {{"attributes", {{"JOINTS_0", file.shorts(joints, "VEC4", 4)}, {"WEIGHTS_0", file.floats(weights, "VEC4", 4)}}}});
  std::vector<float> fromBind(32, 0);
  for (const std::size_t i : {0U, 5U, 10U, 15U}) fromBind[i] = fromBind[16 + i] = 1;
  fromBind[16 + 13] = -length / 2;
  file.doc["skins"] = json::array({{{"joints", {0, 1}}, {"inverseBindMatrices", file.floats(fromBind, "MAT4", 16)}}});
  file.doc["scenes"][0]["nodes"] = {0, 2};
  // Where a node with a skin lies counts nothing (glTF 2.0, 3.7.3.1).
  file.doc["nodes"] = json::array({{{"name", "root"}, {"children", {1}}},
                                   {{"name", "upper"}, {"translation", {0, length / 2, 0}}},
                                   {{"name", "bar"}, {"mesh", mesh}, {"skin", 0}, {"translation", {9, 9, 9}}}});
  const float half = radians(bendDeg) / 2;
  file.track("bends", 1, "rotation", {0, 1}, {0, 0, 0, 1, 0, 0, std::sin(half), std::cos(half)}, 4);
  file.save(path);
}

Surface readAt(const std::string& path) {
  std::vector<Problem> warnings;
  auto read = readMesh(path, warnings);
  if (!read) qFatal("%s", read.error().message.c_str());
  return std::move(*read);
}

bool isNear(const Vec3& a, const Vec3& b, float by = 1e-4F) { return glm::distance(a, b) <= by; }

struct Scene {
  QTemporaryDir folder;
  std::shared_ptr<DiskFileService> files;
  Scene() : files(std::make_shared<DiskFileService>(folder.path().toStdString())) {
    saveMill(pathOf("mill.glb"));
    saveSheet(pathOf("sheet.glb"));
    saveBar(pathOf("bar.glb"), 6, 60);
  }
  std::string pathOf(const char* name) const { return folder.filePath(QString::fromUtf8(name)).toStdString(); }
  Evaluation at(Plan plan, double frame) const {
    plan.settings.time = PlanTime{1, 49, 24};
    plan.frame = frame;
    return Evaluator(files).evaluate(plan, {});
  }
};

template <typename T>
T valueOf(const Evaluation& e, const std::string& uid) {
  const auto it = e.values.find(uid);
  if (it == e.values.end() || !std::holds_alternative<T>(it->second.front())) {
    const auto report = e.reports.find(uid);
    qFatal("%s gives nothing: %s", uid.c_str(),
           report == e.reports.end() || report->second.problems.empty()
               ? "?"
               : report->second.problems.front().message.c_str());
  }
  return std::get<T>(it->second.front());
}

ParamMap playing(const char* file, const char* plays = "again") {
  return {{"file", std::string(file)}, {"plays", std::string(plays)}};
}

}  // namespace

class TestMotion : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void nodesGoAsCountedByHand() {
    const Surface mill = readAt(m_scene.pathOf("mill.glb"));
    QVERIFY(mill.motion);
    QCOMPARE(mill.motion->clips.size(), std::size_t{2});
    for (const double t : {0.0, 0.25, 0.5, 0.999, 1.0, 1.7, 2.0, 9.0}) {
      const Surface now = posed(mill, *mill.motion, {0}, t);
      const auto angle = static_cast<float>(std::min(t, 2.0) * 45 * std::numbers::pi / 180);
      const auto s = static_cast<float>(std::min(t, 1.0));
      const Vec3 glides(s * s * s - 2 * s * s + s, 4 * (3 * s * s - 2 * s * s * s), 0);  // Hermite, by hand
      const Quat turn = glm::angleAxis(angle, kUp);
      const Vec3 arm = Vec3(1, 0, 0) + turn * glides;
      QVERIFY(isNear(now.nodes[1].position, arm));
      QVERIFY(isNear(now.nodes[2].position, arm + turn * Vec3(0, 2, 0)));
      QVERIFY(isNear(now.nodes[2].size, Vec3(t < 1 ? 1.0F : 3.0F)));
      for (std::size_t v = 0; v < 4; ++v)
        QVERIFY(isNear(now.positions[v], Vec3(1, 0, 0) + turn * (glides + mill.positions[v] - Vec3(1, 0, 0))));
      QVERIFY(now.rest.isSharedWith(mill.positions));
    }
  }

  /// Shapes are mixed by shares, and a shape may hold some rows only; at rest the file's own shares count.
  void shapesMix() {
    MadeGltf file;
    const Sheet sheet = sheetOf(2, 4);
    json more{{"targets", json::array({{{"POSITION", file.sparse(9, {4}, {0, 2, 0})}}})}, {"weights", {0.25}}};
    const int mesh = file.mesh(sheet.places, sheet.corners, more);
    file.doc["nodes"] = json::array({{{"mesh", mesh}, {"scale", {1, 3, 1}}}});
    file.track("up", 0, "weights", {0.5F, 1.5F}, {0, 1}, 1);
    file.save(m_scene.pathOf("tent.glb"));
    const Surface tent = readAt(m_scene.pathOf("tent.glb"));
    QVERIFY(isNear(tent.positions[4], Vec3(0, 1.5F, 0)));
    for (const auto& [t, height] : {std::pair{0.0, 0.0F}, {0.75, 1.5F}, {1.0, 3.0F}, {2.0, 6.0F}}) {
      const Surface now = posed(tent, *tent.motion, {0}, t);
      for (std::size_t v = 0; v < 9; ++v)
        QVERIFY(isNear(now.positions[v], v == 4 ? Vec3(0, height, 0) : tent.positions[v]));
    }
  }

  void skinsBendAsCountedByHand() {
    const Surface bar = readAt(m_scene.pathOf("bar.glb"));
    QVERIFY(isNear(bar.positions[0], Vec3(-0.5F, 0, -0.5F)));  // not where its node is
    for (const double t : {0.0, 0.4, 1.0}) {
      const Surface now = posed(bar, *bar.motion, {0}, t);
      const Quat turn = glm::angleAxis(radians(static_cast<float>(60 * t)), Vec3(0, 0, 1));
      for (std::size_t v = 0; v < bar.positions.size(); ++v) {
        const Vec3 p = bar.positions[v];
        const float upper = std::clamp((p.y - 3) / 2 + 0.5F, 0.0F, 1.0F);
        const Vec3 turned = Vec3(0, 3, 0) + turn * (p - Vec3(0, 3, 0));
        QVERIFY(isNear(now.positions[v], (1 - upper) * p + upper * turned));
      }
    }
  }

  void theCacheKeepsMotions() {
    for (const char* name : {"mill.glb", "sheet.glb", "bar.glb"}) {
      ImportOutcome outcome;
      outcome.surface = std::make_shared<const Surface>(readAt(m_scene.pathOf(name)));
      const std::string path = m_scene.pathOf("kept");
      QVERIFY(writeOutcome(outcome, path));
      const auto again = readOutcome(path);
      QVERIFY(again && (*again).surface->motion);
      const Surface a = posed(*outcome.surface, *outcome.surface->motion, {0}, 0.7);
      const Surface b = posed(*again->surface, *again->surface->motion, {0}, 0.7);
      QVERIFY(std::equal(a.positions.begin(), a.positions.end(), b.positions.begin(), b.positions.end()));
      QVERIFY(std::equal(a.normals.begin(), a.normals.end(), b.normals.begin(), b.normals.end()));
    }
  }

  /// Whatever a damaged file says: a message, or something that can be laid out at any moment.
  void damagedMotionsAreToldOrPlay() {
    std::size_t played = 0;
    std::size_t refused = 0;
    for (const char* name : {"mill.glb", "sheet.glb", "bar.glb"}) {
      std::ifstream in(m_scene.pathOf(name), std::ios::binary);
      const std::string whole((std::istreambuf_iterator<char>(in)), {});
      for (std::uint64_t seed = 1; seed <= 90; ++seed) {
        std::string bad = mutated(whole, seed);
        if (seed % 2 == 0)  // numbers of the binary part only: it stays a file that can be read
          for (int k = 0; k < 3; ++k) {
            bad = k == 0 ? whole : bad;
            const std::size_t at = whole.size() - 1 - hashOf(seed, k) % (whole.size() / 2);
            bad[at] = static_cast<char>(hashOf(seed, k, 1));
          }
        const std::string path = "bad.glb";
        std::ofstream(m_scene.pathOf("bad.glb"), std::ios::binary) << bad;
        std::vector<Problem> warnings;
        const auto read = m_scene.files->surface(path, {}, warnings);
        if (!read) {
          QVERIFY(!read.error().message.empty());
          ++refused;
          continue;
        }
        if (!(*read)->motion) continue;
        ++played;
        std::vector<std::uint32_t> all((*read)->motion->clips.size());
        std::iota(all.begin(), all.end(), 0U);
        for (const double t : {-1.0, 0.3, 1e6}) {
          const Surface now = posed(**read, *(*read)->motion, all, t);
          QVERIFY(checkSurface(now));
          for (const Vec3& n : now.normals) QVERIFY(isFinite(n));
          for (const SceneNode& n : now.nodes) QVERIFY(isFinite(n.position) && isFinite(n.size));
        }
      }
    }
    QVERIFY2(played > 40 && refused > 40, qPrintable(QStringLiteral("%1 %2").arg(played).arg(refused)));
  }

  void itPlaysAsAsked_data() {
    QTest::addColumn<QString>("plays");
    QTest::addColumn<double>("speed");
    QTest::addColumn<double>("frame");
    QTest::addColumn<double>("seconds");  // of the motion, which lasts 2 s
    QTest::newRow("once, before it begins") << "once" << 1.0 << 3.0 << 0.0;
    QTest::newRow("once") << "once" << 1.0 << 23.0 << 0.5;
    QTest::newRow("once, twice as fast") << "once" << 2.0 << 23.0 << 1.0;
    QTest::newRow("once, when it is over") << "once" << 1.0 << 100.0 << 2.0;
    QTest::newRow("once, backward") << "once" << -1.0 << 23.0 << 1.5;
    QTest::newRow("again") << "again" << 1.0 << 71.0 << 0.5;
    QTest::newRow("again, before it begins") << "again" << 1.0 << 5.0 << 1.75;
    QTest::newRow("there") << "back" << 1.0 << 47.0 << 1.5;
    QTest::newRow("and back") << "back" << 1.0 << 71.0 << 1.5;
    QTest::newRow("one moment") << "moment" << 1.0 << 400.0 << 1.25;
  }
  void itPlaysAsAsked() {
    QFETCH(QString, plays);
    QFETCH(double, speed);
    QFETCH(double, frame);
    QFETCH(double, seconds);
    ParamMap params = playing("sheet.glb", plays.toUtf8().constData());
    params["begins"] = 11.0;
    params["speed"] = speed;
    params["moment"] = 1.25;
    const Evaluation e = m_scene.at(planOf({node("sheet", "mesh-file", params)}), frame);
    const Surface file = readAt(m_scene.pathOf("sheet.glb"));
    const Surface expected = posed(file, *file.motion, {0}, seconds);
    const SurfacePtr made = valueOf<SurfacePtr>(e, "sheet");
    for (std::size_t v = 0; v < expected.positions.size(); ++v)
      QVERIFY(isNear(made->positions[v], expected.positions[v]));
  }

  void whatCannotPlayIsTold() {
    const auto saidBy = [&](const ParamMap& params) {
      const Evaluation e = m_scene.at(planOf({node("n", "mesh-file", params)}), 9);
      const NodeReport& report = e.reports.at("n");
      return report.problems.empty() ? std::string()
                                     : report.problems.front().message + "|" + report.problems.front().advice;
    };
    QVERIFY(saidBy(playing("sheet.glb")).empty());
    std::ofstream(m_scene.pathOf("still.obj")) << "v 0 0 0\nv 1 0 0\nv 0 0 -1\nf 1 2 3\n";
    QVERIFY(saidBy(playing("still.obj")).find("no motion") != std::string::npos);
    ParamMap named = playing("mill.glb");
    QVERIFY(saidBy(named).find("what other says counts") != std::string::npos);
    named["clips"] = std::string("goes");
    QVERIFY(saidBy(named).empty());
    named["clips"] = std::string("sways");
    QVERIFY(saidBy(named).find("The file has: goes; other") != std::string::npos);
  }

  void markersGoAlong() {
    ParamMap params = playing("mill.glb", "once");
    params["clips"] = std::string("goes");
    const Plan plan = planOf({node("m", "markers", params)});
    const PointsPtr first = valueOf<PointsPtr>(m_scene.at(plan, 1), "m");
    const PointsPtr later = valueOf<PointsPtr>(m_scene.at(plan, 25), "m");  // 1 s
    QCOMPARE(first->count, std::size_t{3});
    for (std::size_t i = 0; i < 3; ++i) QCOMPARE(later->id[i], first->id[i]);
    const Quat turn = glm::angleAxis(kPi / 4, kUp);
    QVERIFY(isNear(later->position[2], Vec3(1, 6, 0)));
    QVERIFY(isNear(later->orientation[1] * Vec3(0, 0, 1), turn * Vec3(0, 0, 1)));
    QVERIFY(isNear(later->size[2], Vec3(3)));
  }

  // --- What rides -------------------------------------------------------------------------------

  void pointsStayOnTheirFaces_data() {
    QTest::addColumn<QString>("kind");
    QTest::addColumn<ParamMap>("params");
    QTest::addColumn<QString>("ground");
    const auto add = [](const char* kind, const ParamMap& params, const char* ground = "sheet") {
      std::string name = std::string(kind) + " on " + ground;
      for (const auto& [id, value] : params)
        if (const auto* text = std::get_if<std::string>(&value)) name += " " + id + "=" + *text;
      QTest::newRow(name.c_str()) << kind << params << ground;
    };
    const ParamMap even{{"way", std::string("even")}, {"spacing", 0.8}};
    for (const char* ground : {"sheet", "part", "both", "shrunk", "moved"}) {
      add("sow-on-surface", {}, ground);
      add("sow-on-surface", even, ground);
    }
    add("sow-on-surface", {{"amount", std::string("total")}, {"total", 300.0}});
    add("sow-on-surface", {{"way", std::string("even")}, {"spacing", 0.8}, {"area", std::string("above")}});
    add("planting-grid", {});
    add("planting-grid", {}, "shrunk");
    add("courses", {});
    for (const ParamMap& params : choicesOf(*findNodeKind("points-of-surface"))) add("points-of-surface", params);
    for (const char* ground : {"sheet", "moved", "part"}) {
      add("clumps", {{"radius", 0.6}}, ground);
      add("clumps", {{"radius", 0.6}, {"separation", 0.15}}, ground);
      add("clumps", {{"radius", 0.6}, {"shape", std::string("ring")}, {"parents", std::string("kept")}}, ground);
    }
  }
  void pointsStayOnTheirFaces() {
    QFETCH(QString, kind);
    QFETCH(ParamMap, params);
    QFETCH(QString, ground);
    const NodeKind& of = *findNodeKind(kind.toStdString());
    for (auto it = params.begin(); it != params.end();)  // an option that this kind does not have
      it = !of.findParam(it->first) || !faultOf(*of.findParam(it->first), it->second).empty() ? params.erase(it)
                                                                                              : std::next(it);
    Plan plan = planOf({
        node("sheet", "mesh-file", playing("sheet.glb")),
        node("moved", "mesh-file",
             [] {
               ParamMap p = playing("sheet.glb");
               p["move"] = std::vector<double>{3, 1, -2};
               p["turn"] = std::vector<double>{10, 70, 20};
               p["size"] = 1.5;
               p["up_axis"] = std::string("z");
               return p;
             }()),
        node("plain", "shape", {{"form", std::string("plane")}}),
        node("part", "part-of-surface", {{"by", std::string("name")}, {"patterns", std::string("sheet")}},
             {{"surface", "sheet"}}),
        node("both", "merge-surfaces", {}, {{"surfaces", "plain|sheet"}}),
        node("shrunk", "shrink-faces", {}, {{"surface", "sheet"}}),
        node("heads", "sow-on-surface", {{"density", 0.5}}, {{"surface", ground.toStdString()}}),
        node("sown", kind.toStdString(), params,
             of.findInput("parents")
                 ? std::map<std::string, std::string>{{"ground", ground.toStdString()}, {"parents", "heads"}}
                 : std::map<std::string, std::string>{{"surface", ground.toStdString()}}),
    });
    const auto surfaceAt = [&](const Evaluation& e) { return valueOf<SurfacePtr>(e, ground.toStdString()); };
    const Evaluation first = m_scene.at(plan, 1);
    const PointsPtr then = valueOf<PointsPtr>(first, "sown");
    const SurfacePtr before = surfaceAt(first);
    QVERIFY(then->count > 20);
    float farthest = 0;
    for (const double frame : {31.0, 13.0, 49.0, 13.5}) {
      const Evaluation e = m_scene.at(plan, frame);
      const PointsPtr now = valueOf<PointsPtr>(e, "sown");
      const SurfacePtr bent = surfaceAt(e);
      QVERIFY2(!findFault(*now), findFault(*now).value_or("").c_str());
      QCOMPARE(now->count, then->count);
      std::size_t standing = 0;
      for (std::size_t i = 0; i < now->count; ++i) {
        QCOMPARE(now->id[i], then->id[i]);
        QCOMPARE(now->groundFace[i], then->groundFace[i]);
        const UVec3 t = bent->triangles[now->groundFace[i]];
        const auto at = [&](const Surface& s, const Vec3& p) {
          return closestWeights(p, s.positions[t.x], s.positions[t.y], s.positions[t.z]);
        };
        const Vec2 was = at(*before, then->position[i]);
        if (!isNear(then->position[i], before->positionAt(then->groundFace[i], was), 1e-3F)) {
          QCOMPARE(kind, QStringLiteral("clumps"));  // over the rim, where no ground is
          continue;
        }
        ++standing;
        const Vec2 is = at(*bent, now->position[i]);
        QVERIFY(std::abs(was.x - is.x) + std::abs(was.y - is.y) < 2e-3F);
        QVERIFY(isNear(now->position[i], bent->positionAt(now->groundFace[i], is), 1e-3F));
        QVERIFY(isNear(now->groundNormal[i], bent->normalAt(now->groundFace[i], is), 2e-2F));
        farthest = std::max(farthest, glm::distance(now->position[i], then->position[i]));
      }
      QVERIFY(standing * 10 > now->count * 9);
    }
    QVERIFY(farthest > 0.5F);  // it did bend
  }

  /// Seen from above they stay, and they stand on the ground at every frame.
  void whatAHandPutDownGoesUpAndDown() {
    HandPoints hand;
    const SurfacePtr rest = std::make_shared<const Surface>(readAt(m_scene.pathOf("sheet.glb")));
    const auto index = *SurfaceIndex::of(*rest);
    std::vector<HandPoint> put;
    for (std::uint64_t k = 0; k < 60; ++k) {
      const auto at = static_cast<float>(k);
      const auto place = groundOnLine(*rest, *index, {std::sin(at) * 3, 0, std::cos(2.3F * at) * 3}, kUp, 50);
      if (!place) continue;
      HandPoint& p = put.emplace_back();
      p.key = k + 1;
      standOn(hand, p, *place, *rest);
    }
    QVERIFY(put.size() > 40);
    hand.list.append(put);
    const Plan plan = planOf(
        {node("sheet", "mesh-file", playing("sheet.glb")),
         node("hand", "placed-by-hand", {{"points", hand}, {"reach", 50.0}}, {{"ground", "sheet"}})});
    float highest = 0;
    for (const double frame : {1.0, 31.0, 13.5}) {
      const Evaluation e = m_scene.at(plan, frame);
      const PointsPtr now = valueOf<PointsPtr>(e, "hand");
      const SurfacePtr bent = valueOf<SurfacePtr>(e, "sheet");
      QVERIFY(now->count > 30);  // the sheet leans as well, so that some have no ground under them
      for (std::size_t i = 0; i < now->count; ++i) {
        const auto at = std::find_if(put.begin(), put.end(), [&](const HandPoint& p) {
          return std::abs(p.place.x - now->position[i].x) + std::abs(p.place.z - now->position[i].z) < 2e-3F;
        });
        QVERIFY(at != put.end());
        const UVec3 t = bent->triangles[now->groundFace[i]];
        const Vec2 w = closestWeights(now->position[i], bent->positions[t.x], bent->positions[t.y],
                                      bent->positions[t.z]);
        QVERIFY(isNear(now->position[i], bent->positionAt(now->groundFace[i], w), 2e-3F));
        highest = std::max(highest, std::abs(now->position[i].y - at->place.y));
      }
    }
    QVERIFY(highest > 0.3F);
  }

  /// The same ones as where nothing plays.
  void nothingElseIsSownWhereItPlays() {
    for (const char* way : {"free", "even"}) {
      const auto sownOn = [&](const char* plays) {
        const Plan plan = planOf({node("sheet", "mesh-file", playing("sheet.glb", plays)),
                                  node("sown", "sow-on-surface", {{"way", std::string(way)}}, {{"surface", "sheet"}})});
        return valueOf<PointsPtr>(m_scene.at(plan, 20), "sown");
      };
      const PointsPtr still = sownOn("still");
      const PointsPtr plays = sownOn("again");
      QCOMPARE(plays->count, still->count);
      for (std::size_t i = 0; i < still->count; ++i) QCOMPARE(plays->id[i], still->id[i]);
    }
  }

  /// A mask that stands still takes those in that are carried into it, and no others.
  void masksAreAskedWhereThePointsAre() {
    for (const char* way : {"free", "even"}) {
      const ParamMap sows{{"way", std::string(way)}, {"density", 4.0}, {"spacing", 0.6}};
      const auto sownAt = [&](double frame, const std::map<std::string, std::string>& joins) {
        const Plan plan = planOf({node("sheet", "mesh-file", playing("sheet.glb")),
                                  node("high", "height", {{"band", std::vector<double>{0.3, 0.3, 1000, 1000}}}),
                                  node("sown", "sow-on-surface", sows, joins)});
        return valueOf<PointsPtr>(m_scene.at(plan, frame), "sown");
      };
      std::size_t most = 0;
      std::size_t least = std::size_t{1} << 40;
      for (const double frame : {7.0, 20.0, 33.0}) {
        const PointsPtr all = sownAt(frame, {{"surface", "sheet"}});
        const PointsPtr some = sownAt(frame, {{"surface", "sheet"}, {"where", "high"}});
        std::vector<std::uint64_t> high;
        for (std::size_t i = 0; i < all->count; ++i)
          if (all->position[i].y >= 0.3F) high.push_back(all->id[i]);
        QCOMPARE(some->count, high.size());
        for (std::size_t i = 0; i < high.size(); ++i) QCOMPARE(some->id[i], high[i]);
        most = std::max(most, high.size());
        least = std::min(least, high.size());
      }
      QVERIFY(most > least + 50);
    }
  }

  void whatFillsABodyStaysInIt_data() {
    QTest::addColumn<QString>("kind");
    QTest::addColumn<ParamMap>("params");
    QTest::addColumn<QString>("volume");
    const ParamMap even{{"way", std::string("even")}, {"spacing", 0.25}};
    const ParamMap cells{{"spacing", 0.23}};
    for (const char* volume : {"solid", "shell", "two"}) {
      QTest::newRow(qPrintable(QStringLiteral("free in %1").arg(QLatin1String(volume))))
          << "sow-in-volume" << ParamMap{{"density", 60.0}} << volume;
      QTest::newRow(qPrintable(QStringLiteral("even in %1").arg(QLatin1String(volume))))
          << "sow-in-volume" << even << volume;
    }
    QTest::newRow("cells") << "planting-grid-in-volume" << cells << "solid";
  }
  void whatFillsABodyStaysInIt() {
    QFETCH(QString, kind);
    QFETCH(ParamMap, params);
    QFETCH(QString, volume);
    const Plan plan = planOf({
        node("bar", "mesh-file", playing("bar.glb", "back")),
        node("solid", "solid", {}, {{"surfaces", "bar"}}),
        node("shell", "solid", {{"take", std::string("shell")}, {"depths", std::vector<double>{0.05, 0.3}}},
             {{"surfaces", "bar"}}),
        node("ball", "shape", {{"form", std::string("ball")}, {"radius", 1.0}, {"move", std::vector<double>{9, 0, 0}}}),
        node("round", "solid", {}, {{"surfaces", "ball"}}),
        node("two", "combine-volumes", {}, {{"volumes", "round|solid"}}),
        node("sown", kind.toStdString(), params, {{"volume", volume.toStdString()}}),
    });
    const Evaluation first = m_scene.at(plan, 1);
    const PointsPtr then = valueOf<PointsPtr>(first, "sown");
    const auto outside = [&](const Evaluation& e) {
      const PointsPtr p = valueOf<PointsPtr>(e, "sown");
      const VolumePtr body = valueOf<VolumePtr>(e, volume.toStdString());
      std::size_t out = 0;
      for (std::size_t i = 0; i < p->count; ++i) out += !body->isInside(p->position[i]);
      return out;
    };
    QVERIFY(then->count > 100);
    const std::size_t before = outside(first);  // middles of cells that are inside in part
    for (const double frame : {25.0, 9.0, 37.0}) {
      const Evaluation e = m_scene.at(plan, frame);
      const PointsPtr now = valueOf<PointsPtr>(e, "sown");
      QCOMPARE(now->count, then->count);
      float farthest = 0;
      for (std::size_t i = 0; i < now->count; ++i) {
        QCOMPARE(now->id[i], then->id[i]);
        farthest = std::max(farthest, glm::distance(now->position[i], then->position[i]));
      }
      QVERIFY2(outside(e) <= before + now->count / 100, qPrintable(QString::number(outside(e))));
      QVERIFY(farthest > 1);
    }
  }

 private:
  Scene m_scene;
};

QTEST_GUILESS_MAIN(TestMotion)
#include "tst_motion.moc"
