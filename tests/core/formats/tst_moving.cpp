// Many frames in one file: what is read back from it is at every frame what was put in.
#include "core/deliver/over_frames.h"
#include "core/formats/moving.h"
#include "tests/support/support.h"

#include <nlohmann/json.hpp>

#include <QRegularExpression>

#include <fstream>
#include <random>
#include <set>

using namespace arvesk;
using namespace arvesk::test;

namespace {

constexpr int kFrames = 12;
constexpr std::size_t kIds = 40;

KitPtr kit() {
  static const KitPtr k = someKit();
  return k;
}

/// A swarm whose ids come, go and come again; some stand still; some get another prop halfway.
std::vector<ExportLayer> swarmAt(int frame) {
  std::mt19937 random(9);
  std::uniform_real_distribution<float> unit(0, 1);
  Points p;
  Array<Vec3> position, size;
  Array<Quat> turn;
  Array<std::uint64_t> id;
  Array<std::int32_t> prop;
  const auto f = static_cast<float>(frame);
  for (std::uint64_t i = 1; i <= kIds; ++i) {
    const Vec3 from(unit(random) * 20, unit(random), unit(random) * 20);
    const Vec3 way(unit(random) - 0.5F, unit(random) - 0.5F, unit(random) - 0.5F);
    const float spin = unit(random) * 2;
    if (i % 5 == 0 && (frame < 4 || frame > 8)) continue;  // there for a while
    if (i % 7 == 0 && frame == 6) continue;                // flickers
    const bool isStill = i % 3 == 0;
    position.push_back(isStill ? from : from + way * f);
    turn.push_back(glm::angleAxis(isStill ? spin : spin * f, Vec3(0, 1, 0)));
    size.push_back(Vec3(isStill ? 1.0F : 1 + 0.1F * f));
    id.push_back(i);
    prop.push_back(i % 11 == 0 && frame > 5 ? 1 : static_cast<std::int32_t>(i % 2) * 2);
  }
  p.count = position.size();
  p.position = std::move(position);
  p.orientation = std::move(turn);
  p.size = std::move(size);
  p.id = std::move(id);
  p.prop = std::move(prop);
  p.kit = kit();
  return {{"Swarm", std::make_shared<const Points>(std::move(p)), nullptr}};
}

MovingLayers::Made moving() {
  MovingLayers frames(24);
  for (int f = 1; f <= kFrames; ++f) ARVESK_ASSERT(frames.add(f, swarmAt(f)), "there is memory for a small swarm");
  return *frames.made({});
}

/// A placement as a reader sees it.
struct Seen {
  std::string prop;
  Vec3 position{0};
  Quat turn{1, 0, 0, 0};
  Vec3 size{1};
};

/// What should be there, by rounded place and prop: ids of props that change are others.
void compare(const std::vector<Seen>& seen, int frame, const char* what) {
  const auto layers = swarmAt(frame);
  const Points& p = *layers.front().points;
  QVERIFY2(seen.size() == p.count,
           qPrintable(QString("%1, frame %2: %3 of %4").arg(what).arg(frame).arg(seen.size()).arg(p.count)));
  for (std::size_t i = 0; i < p.count; ++i) {
    const std::string& name = p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop->name;
    const bool isThere = std::any_of(seen.begin(), seen.end(), [&](const Seen& s) {
      return s.prop == name && glm::distance(s.position, p.position[i]) < 2e-5F &&
             glm::distance(s.size, p.size[i]) < 1e-5F && std::abs(glm::dot(s.turn, p.orientation[i])) > 1 - 1e-5F;
    });
    QVERIFY2(isThere, qPrintable(QString("%1, frame %2: %3 is elsewhere").arg(what).arg(frame).arg(p.id[i])));
  }
}

std::string contentOf(const QString& path) {
  std::ifstream in(path.toStdString(), std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

std::vector<double> numbersIn(const QString& text) {
  static const QRegularExpression number(QStringLiteral(R"(-?\d+\.?\d*(e[-+]?\d+)?)"));
  std::vector<double> out;
  for (auto it = number.globalMatch(text); it.hasNext();) out.push_back(it.next().captured().toDouble());
  return out;
}

/// The numbers of an attribute at each frame that the file has of it; at one of 0 when it does not move.
std::map<double, std::vector<double>> samplesOf(const QString& usda, const QString& attribute) {
  std::map<double, std::vector<double>> out;
  const QRegularExpression moving(
      QStringLiteral(R"(%1\.timeSamples = \{\n(.*?)\n\s*\}\n)").arg(QRegularExpression::escape(attribute)),
      QRegularExpression::DotMatchesEverythingOption);
  if (const auto m = moving.match(usda); m.hasMatch()) {
    for (const QString& line : m.captured(1).split(QLatin1Char('\n'))) {
      const qsizetype colon = line.indexOf(QLatin1Char(':'));
      out[line.left(colon).trimmed().toDouble()] = numbersIn(line.mid(colon + 1));
    }
    return out;
  }
  const QRegularExpression still(QStringLiteral(R"(%1 = (\[.*?\])\n)").arg(QRegularExpression::escape(attribute)));
  if (const auto m = still.match(usda); m.hasMatch()) out[0] = numbersIn(m.captured(1));
  return out;
}
/// As a reader takes them: straight between two frames, or held.
std::vector<double> at(const std::map<double, std::vector<double>>& samples, double frame, bool isHeld) {
  auto next = samples.upper_bound(frame);
  if (next == samples.begin()) return next->second;
  const auto before = std::prev(next);
  if (isHeld || next == samples.end()) return before->second;
  const double t = (frame - before->first) / (next->first - before->first);
  std::vector<double> out = before->second;
  for (std::size_t i = 0; i < out.size(); ++i) out[i] += t * (next->second[i] - out[i]);
  return out;
}

}  // namespace

class TestMoving : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void usdHoldsEveryFrame() {
    QTemporaryDir dir;
    const QString path = dir.filePath(QStringLiteral("swarm.usda"));
    const auto made = moving();
    QVERIFY(made.warnings.empty());
    const auto report = exportLayers(made.layers, path.toStdString(), {}, {});
    QVERIFY2(report, report ? "" : toLine(report.error()).c_str());
    const QString text = QString::fromStdString(contentOf(path));
    QVERIFY(text.contains(QStringLiteral("startTimeCode = 1\n")) &&
            text.contains(QStringLiteral("endTimeCode = 12\n")) &&
            text.contains(QStringLiteral("timeCodesPerSecond = 24\n")));
    const QRegularExpression rel(QStringLiteral(R"(rel prototypes = \[(.*?)\])"));
    QStringList prototypes;
    for (const QString& target : rel.match(text).captured(1).split(QStringLiteral(", ")))
      prototypes << target.section(QLatin1Char('/'), -1).chopped(1);
    const auto protos = samplesOf(text, QStringLiteral("protoIndices"));
    const auto ids = samplesOf(text, QStringLiteral("int64[] ids"));
    QVERIFY(protos.size() == 1 && ids.size() == 1);  // written once
    const auto all = ids.begin()->second;
    QCOMPARE(std::set<double>(all.begin(), all.end()).size(), all.size());
    const auto places = samplesOf(text, QStringLiteral("positions"));
    const auto turns = samplesOf(text, QStringLiteral("orientations"));
    const auto sizes = samplesOf(text, QStringLiteral("scales"));
    const auto hidden = samplesOf(text, QStringLiteral("invisibleIds"));
    QVERIFY(places.size() > 10 && hidden.size() > 3 && hidden.size() < kFrames);
    for (int frame = 1; frame <= kFrames; ++frame) {
      const auto gone = at(hidden, frame, true);
      const auto p = at(places, frame, false);
      const auto q = at(turns, frame, false);
      const auto s = at(sizes, frame, false);
      std::vector<Seen> seen;
      for (std::size_t i = 0; i < all.size(); ++i) {
        if (std::find(gone.begin(), gone.end(), all[i]) != gone.end()) continue;
        seen.push_back({prototypes[static_cast<int>(protos.begin()->second[i])].toStdString(),
                        Vec3(p[3 * i], p[3 * i + 1], p[3 * i + 2]),
                        Quat(static_cast<float>(q[4 * i]), static_cast<float>(q[4 * i + 1]),
                             static_cast<float>(q[4 * i + 2]), static_cast<float>(q[4 * i + 3])),
                        Vec3(s[3 * i], s[3 * i + 1], s[3 * i + 2])});
      }
      compare(seen, frame, "USD");
    }
  }

  void whatDoesNotMoveIsWrittenOnce() {
    QTemporaryDir dir;
    MovingLayers frames(24);
    for (int f = 1; f <= 30; ++f) QVERIFY(frames.add(f, swarmAt(f < 10 ? 5 : f < 20 ? 3 : 5)));
    const QString path = dir.filePath(QStringLiteral("still.usda"));
    QVERIFY(exportLayers(frames.made({})->layers, path.toStdString(), {}, {}));
    const auto places = samplesOf(QString::fromStdString(contentOf(path)), QStringLiteral("positions"));
    const auto frameList = [&] {
      std::vector<double> out;
      for (const auto& [frame, numbers] : places) out.push_back(frame);
      return out;
    };
    QCOMPARE(frameList(), (std::vector<double>{1, 9, 10, 19, 20, 30}));
    MovingLayers still(24);
    for (int f = 1; f <= 5; ++f) QVERIFY(still.add(f, swarmAt(5)));
    QVERIFY(exportLayers(still.made({})->layers, path.toStdString(), {}, {}));
    QCOMPARE(QString::fromStdString(contentOf(path)).count(QStringLiteral("timeSamples")), 0);
  }

  void gltfHoldsEveryFrame() {
    QTemporaryDir dir;
    const QString path = dir.filePath(QStringLiteral("swarm.gltf"));
    ExportOptions mesh;
    mesh.gltfWay = GltfWay::Mesh;  // which cannot move: told
    const auto report = exportLayers(moving().layers, path.toStdString(), mesh, {});
    QVERIFY2(report, report ? "" : toLine(report.error()).c_str());
    QCOMPARE(report->warnings.size(), std::size_t{2});
    const auto root = nlohmann::json::parse(contentOf(path));
    const std::string bytes = contentOf(
        dir.filePath(QString::fromStdString(root["buffers"][0]["uri"].get<std::string>())));
    const auto numbers = [&](int accessor) {
      const auto& a = root["accessors"][static_cast<std::size_t>(accessor)];
      const auto& view = root["bufferViews"][a["bufferView"].get<std::size_t>()];
      const std::size_t each = a["type"] == "SCALAR" ? 1 : a["type"] == "VEC3" ? 3 : 4;
      std::vector<float> out(a["count"].get<std::size_t>() * each);
      const std::size_t from = view.value("byteOffset", std::size_t{0}) + a.value("byteOffset", std::size_t{0});
      ARVESK_ASSERT(from + out.size() * 4 <= bytes.size(), "the buffer holds what the accessor says");
      std::memcpy(out.data(), bytes.data() + from, out.size() * 4);
      return out;
    };
    const auto& animation = root["animations"][0];
    const auto times = numbers(animation["samplers"][0]["input"].get<int>());
    QCOMPARE(times.size(), std::size_t{kFrames});
    for (int f = 0; f < kFrames; ++f)
      QVERIFY(within(static_cast<double>(times[static_cast<std::size_t>(f)]), f / 24.0, 1e-6));
    // Every placement at every frame, by its channels or as the node itself says.
    std::map<std::pair<std::size_t, std::string>, std::vector<float>> channels;
    for (const auto& channel : animation["channels"]) {
      const auto& sampler = animation["samplers"][channel["sampler"].get<std::size_t>()];
      channels[{channel["target"]["node"].get<std::size_t>(), channel["target"]["path"].get<std::string>()}] = numbers(
          sampler["output"].get<int>());
    }
    const auto value = [&](std::size_t node, const char* of, std::size_t count, int frame) {
      const auto it = channels.find({node, of});
      if (it == channels.end()) return root["nodes"][node][of].get<std::vector<float>>();
      const auto begin = it->second.begin() + static_cast<std::ptrdiff_t>(static_cast<std::size_t>(frame - 1) * count);
      return std::vector<float>(begin, begin + static_cast<std::ptrdiff_t>(count));
    };
    for (int frame = 1; frame <= kFrames; ++frame) {
      std::vector<Seen> seen;
      for (std::size_t n = 0; n < root["nodes"].size(); ++n) {
        if (!root["nodes"][n].contains("mesh")) continue;
        const auto s = value(n, "scale", 3, frame);
        if (s[0] == 0) continue;
        const auto t = value(n, "translation", 3, frame);
        const auto q = value(n, "rotation", 4, frame);
        seen.push_back({root["meshes"][root["nodes"][n]["mesh"].get<std::size_t>()]["name"].get<std::string>(),
                        Vec3(t[0], t[1], t[2]), Quat(q[3], q[0], q[1], q[2]), Vec3(s[0], s[1], s[2])});
      }
      compare(seen, frame, "glTF");
    }
  }

  void othersHoldNothingThatMoves() {
    QTemporaryDir dir;
    for (const char* name : {"x.csv", "x.ply", "x.obj"}) {
      const auto report = exportLayers(moving().layers, dir.filePath(QLatin1String(name)).toStdString(), {}, {});
      QVERIFY(!report && report.error().message.find("nothing that moves") != std::string::npos);
    }
    // Tables hold the frames one after the other, each row as it is then; a number that is called frame already stays.
    MovingLayers rows(24);
    std::size_t count = 0;
    for (int f = 1; f <= kFrames; ++f) {
      auto layers = swarmAt(f);
      Points p = *layers.front().points;
      p.attributes["frame"] = Column<float>(-1.0F);
      layers.front().points = std::make_shared<const Points>(std::move(p));
      count += layers.front().points->count;
      QVERIFY(rows.add(f, layers));
    }
    const auto table = rows.madeFor("x.csv", {});
    QVERIFY(table && table->attributes == std::vector<std::string>{"frame-of-plan"});
    ExportOptions how;
    how.attributes = {"frame", "frame-of-plan"};
    const std::string path = dir.filePath(QStringLiteral("rows.csv")).toStdString();
    QVERIFY(exportLayers(table->layers, path, how, {}));
    QFile csv(QString::fromStdString(path));
    QVERIFY(csv.open(QIODevice::ReadOnly));
    const QList<QByteArray> lines = csv.readAll().trimmed().split('\n');
    QCOMPARE(static_cast<std::size_t>(lines.size()), count + 1);
    QVERIFY(lines.front().endsWith(",frame,frame-of-plan"));
    std::size_t at = 1;
    for (int f = 1; f <= kFrames; ++f) {
      const auto layers = swarmAt(f);
      const Points& p = *layers.front().points;
      for (std::size_t i = 0; i < p.count; ++i, ++at) {
        const QByteArray& line = lines[static_cast<qsizetype>(at)];
        QVERIFY(line.startsWith(QByteArray::number(static_cast<qulonglong>(p.id[i])) + ","));
        QVERIFY2(line.endsWith(",-1," + QByteArray::number(f)), line.constData());
        QVERIFY(std::abs(line.split(',')[3].toFloat() - p.position[i].x) < 1e-4F);
      }
    }
    // A surface that changes is told, and written as it is at first.
    MovingLayers frames(24);
    QVERIFY(frames.add(1, {{"Ground", nullptr, hills(4, 10, 1)}}));
    QVERIFY(frames.add(2, {{"Ground", nullptr, hills(4, 10, 2)}}));
    const auto made = frames.made({});
    QVERIFY(made && made->warnings.size() == 1 && made->warnings.front().message.find("Ground") != std::string::npos);
  }

  /// Two outputs of one title are two; colors that change are told.
  void outputsOfOneTitleAreTwo() {
    MovingLayers frames(24);
    const auto colored = [](std::vector<ExportLayer> layers, float hue) {
      Points p = *layers.front().points;
      p.attributes["tint"] = Column<Vec3>(Vec3(hue, 0, 0));
      layers.front().points = std::make_shared<const Points>(std::move(p));
      return layers.front();
    };
    for (int f = 1; f <= 4; ++f)
      QVERIFY(frames.add(f, {colored(swarmAt(f), 0.1F), colored(swarmAt(f + 4), 0.1F * static_cast<float>(f))}));
    const auto made = frames.made({});
    QVERIFY(made && made->layers.size() == 2);
    for (std::size_t f = 0; f < 4; ++f)
      for (std::size_t l = 0; l < 2; ++l) {
        const auto& there = made->layers[l].over->at[f].isThere;
        QCOMPARE(static_cast<std::size_t>(std::count(there.begin(), there.end(), 1)),
                 swarmAt(static_cast<int>(f + 1 + 4 * l)).front().points->count);
      }
    QCOMPARE(made->warnings.size(), std::size_t{1});
    QVERIFY(made->warnings.front().message.find("colors do not move") == 0);
  }

  void whatGoesOnIsTold() {
    OverFrames over;
    for (int f = 1; f <= kFrames; ++f) over.add(f, swarmAt(f), 0.01F, {});
    std::size_t flickers = 0;
    for (std::uint64_t i = 1; i <= kIds; ++i) flickers += i % 7 == 0 && i % 5 != 0;
    // Of those that are there for a while alone, one is missing at frame 6 too.
    flickers += kIds >= 35 ? 1 : 0;
    QCOMPARE(over.flickerCount(), flickers);
    for (const FrameFinding& f : over.flickers()) QVERIFY(f.frame == 6 && f.id % 7 == 0 && f.output == "Swarm");
    for (int f = 2; f <= kFrames; ++f) {
      const auto before = swarmAt(f - 1), now = swarmAt(f);
      float longest = 0;
      std::size_t came = 0;
      for (std::size_t i = 0; i < now[0].points->count; ++i) {
        bool wasThere = false;
        for (std::size_t k = 0; k < before[0].points->count; ++k) {
          if (before[0].points->id[k] != now[0].points->id[i]) continue;
          wasThere = true;
          longest = std::max(longest, glm::distance(before[0].points->position[k], now[0].points->position[i]));
        }
        came += !wasThere;
      }
      const FrameFacts& facts = over.frames()[static_cast<std::size_t>(f) - 1];
      QVERIFY(facts.frame == f && facts.placements == now[0].points->count && facts.longestStep == longest);
      QVERIFY(facts.came == came && before[0].points->count + facts.came - facts.went == facts.placements);
    }
    const auto steps = over.steps();
    QVERIFY(!steps.empty() && steps.size() <= OverFrames::kMost);
    for (std::size_t k = 1; k < steps.size(); ++k) QVERIFY(steps[k - 1].meters >= steps[k].meters);
  }
};

QTEST_GUILESS_MAIN(TestMoving)
#include "tst_moving.moc"
