// Files of volumes: what is written reads back as it was, grids by name, bodies by their distance; broken files give a
// message; other formats say that they hold none.
#include "core/base/hash.h"
#include "core/formats/exporter.h"
#include "tests/support/bodies.h"
#include "tests/support/mutated.h"

#include <QProcess>

using namespace arvesk;
using namespace arvesk::test;

namespace {

VolumePtr mist(float density = 0.5F) {
  Points p = randomPoints(40, Vec3(8, 3, 8), 0.4F, 1, 3);
  test::Bench bench;
  const auto out = bench.run("mist", inputs({{"points", std::make_shared<const Points>(std::move(p))}}),
                             {{"voxel_size", 0.2}, {"density", static_cast<double>(density)}, {"broken", 40.0}});
  return out ? std::get<VolumePtr>(out->front()) : nullptr;
}
VolumePtr ball() {
  return *makeSolid({moved(published(makeBall(1.5F, 48)), Vec3(3, 1, -2))}, {false, {}, 0, 0.06F}, {});
}

}  // namespace

class TestVolumeFiles : public QObject {
  Q_OBJECT

  QTemporaryDir m_dir;
  std::string path(const char* name) const { return m_dir.filePath(QString::fromUtf8(name)).toStdString(); }
  static Result<ExportReport> exported(const std::vector<ExportLayer>& layers, const std::string& to,
                                       bool isHalf = false) {
    ExportOptions how;
    how.isHalf = isHalf;
    how.isVerified = true;
    return exportLayers(layers, to, how, {});
  }
  Result<VolumePtr> read(const char* name, ParamMap params = {}) const {
    test::Bench bench;
    bench.files = std::make_shared<DiskFileService>(m_dir.path().toStdString());
    bench.ctx.files = bench.files.get();
    params["file"] = std::string(name);
    const auto out = bench.run("volume-file", {}, params);
    if (!out) return Failure(out.error());
    return std::get<VolumePtr>(out->front());
  }

 private Q_SLOTS:
  void densitiesComeBackAsTheyWere_data() {
    QTest::addColumn<bool>("isHalf");
    QTest::newRow("float") << false;
    QTest::newRow("half") << true;
  }
  void densitiesComeBackAsTheyWere() {
    QFETCH(bool, isHalf);
    const VolumePtr volume = mist();
    const auto report = exported({{"Fog", nullptr, nullptr, volume}}, path("fog.vdb"), isHalf);
    QVERIFY2(report, report ? "" : report.error().message.c_str());
    QVERIFY2(report->faults.empty(), report->faults.empty() ? "" : report->faults.front().c_str());
    QVERIFY(report->verifySeconds && report->warnings.empty() && report->volumes == 1);
    const auto back = read("fog.vdb");
    QVERIFY2(back, back ? "" : back.error().message.c_str());
    const DensityPtr a = volume->density({});
    const DensityPtr b = (*back)->density({});
    QVERIFY(b);
    std::size_t some = 0;
    for (std::uint64_t i = 0; i < 20000; ++i) {
      const Vec3 share(unitFloat(hashOf(i, 1)), unitFloat(hashOf(i, 2)), unitFloat(hashOf(i, 3)));
      const Vec3 p = a->bounds().min + share * a->bounds().extent();
      QVERIFY2(within(b->at(p), a->at(p), 1e-5, isHalf ? 2e-3 : 1e-5), qPrintable(QString::number(a->at(p))));
      some += a->at(p) > 0;
    }
    QVERIFY(some > 1000);
  }

  /// Moved, turned, sized, in other units and with another axis up: the same numbers at the place that they went to.
  void whatIsPlacedGoesAlong() {
    QVERIFY(exported({{"Fog", nullptr, nullptr, mist()}}, path("placed.vdb")));
    const DensityPtr a = (*read("placed.vdb"))->density({});
    const auto back = read("placed.vdb", {{"move", std::vector<double>{3.0, -1.0, 7.0}},
                                          {"turn", std::vector<double>{20.0, 70.0, -10.0}},
                                          {"size", 2.0},
                                          {"unit_scale", 0.25},
                                          {"up_axis", std::string("z")},
                                          {"times", 3.0}});
    QVERIFY(back);
    const DensityPtr b = (*back)->density({});
    const Quat turn = turnOf(Vec3(20, 70, -10)) * glm::angleAxis(-kPi / 2, Vec3(1, 0, 0));
    for (std::uint64_t i = 0; i < 5000; ++i) {
      const Vec3 share(unitFloat(hashOf(i, 1)), unitFloat(hashOf(i, 2)), unitFloat(hashOf(i, 3)));
      const Vec3 p = a->bounds().min + share * a->bounds().extent();
      QVERIFY(within(b->at(turn * (0.5F * p) + Vec3(3, -1, 7)), 3 * a->at(p), 3e-4));
    }
    QVERIFY(within((*back)->voxelSize(), 0.1, 1e-4));
  }

  /// A body as a signed distance: its volume and what is inside come back, to a part of a voxel; grids by their names.
  void bodiesComeBackByTheirDistance() {
    const VolumePtr body = ball();
    const auto report = exported(
        {{"Rock", nullptr, nullptr, body}, {"Fog", nullptr, nullptr, mist()}, {"Fog", nullptr, nullptr, mist(0.9F)}},
        path("several.vdb"));
    QVERIFY(report && report->faults.empty() && report->volumes == 3);
    const auto back = read("several.vdb", {{"grid", std::string("Rock")}});
    QVERIFY2(back, back ? "" : back.error().message.c_str());
    QVERIFY(!(*back)->hasDensity());
    int asked = 0;
    for (std::uint64_t i = 0; i < 20000; ++i) {
      const Vec3 p = Vec3(3, 1, -2) +
                     4.0F * (Vec3(unitFloat(hashOf(i, 1)), unitFloat(hashOf(i, 2)), unitFloat(hashOf(i, 3))) - 0.5F);
      const float off = glm::distance(p, Vec3(3, 1, -2)) - 1.5F;
      if (std::abs(off) < 0.02F) continue;
      ++asked;
      QCOMPARE((*back)->isInside(p), off < 0);
    }
    QVERIFY(asked > 15000);
    QVERIFY(within((*read("several.vdb", {{"grid", std::string("Fog 2")}}))->density({})->most(), 0.9, 0.05));
    const auto none = read("several.vdb", {{"grid", std::string("Smoke")}});
    QVERIFY(!none && none.error().advice.find("Fog 2") != std::string::npos);
    QVERIFY(!read("missing.vdb"));
  }

  void formatsSayWhatTheyCannotHold() {
    const ExportLayer points{"Stones", std::make_shared<const Points>(randomPoints(5, Vec3(1), 0.1F, 0.2F, 1)),
                             nullptr};
    const ExportLayer fog{"Fog", nullptr, nullptr, mist()};
    const auto alone = exported({points}, path("none.vdb"));
    QVERIFY(!alone && alone.error().message.find("no output is one") != std::string::npos);
    QVERIFY(!QFile::exists(m_dir.filePath(QStringLiteral("none.vdb"))));
    for (const char* name : {"both.vdb", "both.csv", "both.glb", "both.usda"}) {
      const auto report = exportLayers({points, fog}, path(name), {}, {});
      QVERIFY2(report, name);
      QVERIFY(std::any_of(report->warnings.begin(), report->warnings.end(), [&](const Problem& p) {
        return p.message.find("left out: ") != std::string::npos &&
               p.message.find(QByteArray(name).endsWith("vdb") ? "Stones" : "Fog") != std::string::npos;
      }));
    }
    // A folder that is not there: the message, and nothing left behind.
    QVERIFY(!exported({fog}, path("no/folder/fog.vdb")));
  }

  void checkTellsWhatIsInside() {
    QVERIFY(exported({{"Rock", nullptr, nullptr, ball()}, {"Fog", nullptr, nullptr, mist()}}, path("check.vdb")));
    QProcess check;
    check.start(binPath("arvesk-run"), {QStringLiteral("check"), m_dir.filePath(QStringLiteral("check.vdb"))});
    QVERIFY(check.waitForFinished(60'000));
    QCOMPARE(check.exitCode(), 0);
    const QString out = QString::fromUtf8(check.readAllStandardOutput());
    for (const char* word : {"Rock", "Fog", "distance", "density", "voxels", "lowest", "highest"})
      QVERIFY2(out.contains(QLatin1String(word)), word);
  }

  // 500 mutations, each read by a process of its own: a message or a sound volume.
  void mutations() {
    QVERIFY(exported({{"Rock", nullptr, nullptr, *makeSolid({published(makeBall(0.5F, 12))}, {false, {}, 0, 0.1F}, {})},
                      {"Fog", nullptr, nullptr, mist()}},
                     path("whole.vdb")));
    QFile whole(m_dir.filePath(QStringLiteral("whole.vdb")));
    QVERIFY(whole.open(QIODevice::ReadOnly));
    const QByteArray content = whole.readAll();
    QVERIFY(content.size() > 2000);
    QStringList pairs;
    for (std::uint64_t seed = 0; seed < 500; ++seed) {
      const QString name = m_dir.filePath(QStringLiteral("volume%1.vdb").arg(seed));
      QFile file(name);
      QVERIFY(file.open(QIODevice::WriteOnly));
      file.write(QByteArray::fromStdString(mutated(content.toStdString(), seed)));
      pairs << name << name + QStringLiteral(".asset");
    }
    QProcess first;
    QProcess second;
    for (QProcess* helper : {&first, &second}) {
      helper->setStandardErrorFile(QProcess::nullDevice());
      helper->start(binPath("arvesk-import-volume"), helper == &first ? pairs.mid(0, 500) : pairs.mid(500));
    }
    for (QProcess* helper : {&first, &second}) {
      QVERIFY(helper->waitForFinished(-1));
      QCOMPARE(helper->exitCode(), 0);
    }
    int messages = 0;
    int sound = 0;
    for (qsizetype k = 0; k < pairs.size(); k += 2) {
      const auto outcome = readOutcome(pairs[k + 1].toStdString());
      QVERIFY2(outcome, qPrintable(pairs[k]));
      if (outcome->volumes) {
        ++sound;
        for (const VolumeGrid& grid : outcome->volumes->grids) {
          QVERIFY(grid.density || grid.skin);
          if (grid.density)
            for (const float v : grid.density->values()) QVERIFY(v >= 0 && std::isfinite(v));
        }
      } else {
        ++messages;
        QVERIFY(outcome->failure && !outcome->failure->message.empty());
      }
    }
    qInfo("%d sound, %d with a message", sound, messages);
    QVERIFY(messages > 50 && sound > 10);
  }
};

QTEST_GUILESS_MAIN(TestVolumeFiles)
#include "tst_volume_files.moc"
