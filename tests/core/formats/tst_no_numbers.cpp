// Heights and numbers that are none: holes and warnings with counts, never a pit, never a value that cannot be sorted.
#include "core/base/safe_file.h"
#include "tests/support/support.h"

#include <cmath>
#include <cstring>

using namespace arvesk;

namespace {

/// A gray TIFF in one strip (TIFF 6.0), little endian; `noData` as GDAL writes it, in tag 42113.
template <typename T>
std::string tiff(std::uint32_t width, std::uint32_t height, const std::vector<T>& values, const std::string& noData) {
  std::string out = "II";
  const auto put16 = [&](std::uint16_t v) { out.append(reinterpret_cast<const char*>(&v), 2); };
  const auto put32 = [&](std::uint32_t v) { out.append(reinterpret_cast<const char*>(&v), 4); };
  constexpr std::uint16_t kFormat = std::is_floating_point_v<T> ? 3 : std::is_signed_v<T> ? 2 : 1;
  const std::uint16_t entries = noData.empty() ? 10 : 11;
  const std::uint32_t dataAt = 8 + 2 + entries * 12U + 4;
  const auto size = static_cast<std::uint32_t>(values.size() * sizeof(T));
  put16(42);
  put32(8);
  put16(entries);
  const auto entry = [&](std::uint16_t tag, std::uint16_t type, std::uint32_t count, std::uint32_t value) {
    put16(tag);
    put16(type);
    put32(count);
    put32(value);
  };
  entry(256, 4, 1, width);
  entry(257, 4, 1, height);
  entry(258, 3, 1, 8 * sizeof(T));
  entry(259, 3, 1, 1);
  entry(262, 3, 1, 1);
  entry(273, 4, 1, dataAt);
  entry(277, 3, 1, 1);
  entry(278, 4, 1, height);
  entry(279, 4, 1, size);
  entry(339, 3, 1, kFormat);
  if (!noData.empty()) entry(42113, 2, static_cast<std::uint32_t>(noData.size() + 1), dataAt + size);
  put32(0);
  out.append(reinterpret_cast<const char*>(values.data()), size);
  if (!noData.empty()) out += noData + '\0';
  return out;
}

constexpr std::uint32_t kSide = 12;
/// Pixels without a value: a corner, an edge and a hole within.
const std::set<std::uint32_t> kMissing{0, 1, kSide, 5, 3 * kSide + 4, 3 * kSide + 5, 7 * kSide + 8};

}  // namespace

class TestNoNumbers : public QObject {
  Q_OBJECT

  QTemporaryDir m_dir;
  test::Bench m_bench;

  std::string at(const char* name) { return m_dir.filePath(QLatin1String(name)).toStdString(); }
  SurfacePtr terrain(const std::string& file) {
    m_bench.warnings.clear();
    const auto out = m_bench.run("terrain", {}, {{"file", file}, {"width", 22.0}, {"lowest", 0.0}, {"highest", 2.0}});
    if (!out) qWarning("%s", toLine(out.error()).c_str());
    return out ? std::get<SurfacePtr>(out->front()) : nullptr;
  }

 private Q_SLOTS:
  void initTestCase() {
    m_bench.files = std::make_shared<DiskFileService>(m_dir.path().toStdString());
    m_bench.ctx.files = m_bench.files.get();
  }

  void heightsThatAreNone_data() {
    QTest::addColumn<QByteArray>("file");
    const auto floats = [](float missing) {
      std::vector<float> values(kSide * kSide);
      for (std::uint32_t i = 0; i < values.size(); ++i)
        values[i] = kMissing.contains(i) ? missing : 0.25F + 0.5F * static_cast<float>(i % kSide) / kSide;
      return values;
    };
    const auto whole = [](auto missing, auto most) {
      std::vector<decltype(missing)> values(kSide * kSide);
      for (std::uint32_t i = 0; i < values.size(); ++i)
        values[i] = kMissing.contains(i) ? missing
                                         : static_cast<decltype(missing)>(most / 4 + most / 2 * (i % kSide) / kSide);
      return values;
    };
    const auto row = [](const char* name, const std::string& file) {
      QTest::newRow(name) << QByteArray(file.data(), static_cast<qsizetype>(file.size()));
    };
    row("not a number", tiff(kSide, kSide, floats(std::nanf("")), ""));
    row("infinite", tiff(kSide, kSide, floats(std::numeric_limits<float>::infinity()), ""));
    row("-9999", tiff(kSide, kSide, floats(-9999), "-9999"));
    row("the least float", tiff(kSide, kSide, floats(std::numeric_limits<float>::lowest()), "-3.4028234663852886e+38"));
    row("16 bits, 65535", tiff(kSide, kSide, whole(std::uint16_t{65535}, 60000), "65535"));
    row("16 bits with sign, -32768", tiff(kSide, kSide, whole(std::int16_t{-32768}, 30000), "-32768"));
    row("not a number, said so", tiff(kSide, kSide, floats(std::nanf("")), "nan"));
  }
  void heightsThatAreNone() {
    QFETCH(QByteArray, file);
    const std::string path = at("heights.tif");
    QVERIFY(writeWhole(path, file.toStdString()));
    const SurfacePtr ground = terrain(path);
    QVERIFY(ground);
    QCOMPARE(m_bench.warnings.size(), std::size_t{1});
    QVERIFY2(m_bench.warnings[0].message.find(std::to_string(kMissing.size()) + " of 144 pixels") != std::string::npos,
             m_bench.warnings[0].message.c_str());
    const Box3 box = ground->bounds();
    QVERIFY2(box.min.y >= 0 && box.max.y <= 2, qPrintable(QString::number(static_cast<double>(box.min.y))));
    // Every face of the whole grid but those at a missing pixel, each with the key that it has there.
    std::map<std::uint64_t, UVec3> faces;
    for (std::size_t f = 0; f < ground->faceCount(); ++f) {
      for (int k = 0; k < 3; ++k) QVERIFY(!kMissing.contains(ground->triangles[f][k]));
      faces[ground->faceKey(f)] = ground->triangles[f];
    }
    std::vector<float> filled(kSide * kSide, 0.5F);
    QVERIFY(writeWhole(at("filled.tif"), tiff(kSide, kSide, filled, "-9999")));
    const SurfacePtr whole = terrain(at("filled.tif"));
    QVERIFY(whole && m_bench.warnings.empty());
    for (std::size_t f = 0; f < whole->faceCount(); ++f) {
      const UVec3 t = whole->triangles[f];
      const bool isHole = kMissing.contains(t.x) || kMissing.contains(t.y) || kMissing.contains(t.z);
      QCOMPARE(faces.contains(whole->faceKey(f)), !isHole);
      if (!isHole) QVERIFY(faces.at(whole->faceKey(f)) == t);
    }
  }

  // As a mask, a missing pixel is as the nearest one is.
  void picturesThatHaveHoles() {
    std::vector<float> values(kSide * kSide);
    for (std::uint32_t i = 0; i < values.size(); ++i)
      values[i] = kMissing.contains(i) ? -9999.0F : i % kSide < kSide / 2 ? 0.0F : 1.0F;
    const std::string path = at("mask.tif");
    QVERIFY(writeWhole(path, tiff(kSide, kSide, values, "-9999")));
    const auto image = m_bench.files->image(path, {});
    QVERIFY(image);
    QCOMPARE((*image)->missing.size(), kMissing.size());
    for (std::uint32_t i = 0; i < values.size(); ++i)
      if (i % kSide != kSide / 2 && i % kSide != kSide / 2 - 1)
        QCOMPARE((*image)->values[i], i % kSide < kSide / 2 ? 0.0F : 1.0F);
    QVERIFY(writeWhole(at("none.tif"), tiff(2, 2, std::vector<float>(4, std::nanf("")), "")));
    QVERIFY(!m_bench.files->image(at("none.tif"), {}));
  }

  void tablesWithNumbersThatAreNone() {
    QVERIFY(
        writeWhole(at("points.csv"),
                   "x,y,z,heading,wear\n0,0,0,90,0.5\n1,0,0,nan,nan\n2,0,0,inf,1e300\nnan,0,0,0,1\n3,0,0,0,-inf\n"));
    m_bench.warnings.clear();
    const PointsPtr points = m_bench.points("point-file", {},
                                            {{"file", at("points.csv")}, {"heading", std::string("heading")}});
    QVERIFY(points);
    QCOMPARE(points->count, std::size_t{4});
    const auto* wear = columnOf<Column<float>>(points->attributes, "wear");
    QVERIFY(wear);
    for (std::size_t i = 0; i < points->count; ++i) {
      QVERIFY(std::isfinite((*wear)[i]));
      QVERIFY(std::abs(glm::length(points->orientation[i]) - 1) < 1e-5F);
      QVERIFY(isFinite(points->position[i]));
    }
    QStringList said;
    for (const Problem& p : m_bench.warnings) said.push_back(QString::fromStdString(p.message));
    const QString all = said.join(QLatin1Char('\n'));
    QVERIFY2(all.contains(QStringLiteral("3 values of \"wear\"")), qPrintable(all));
    QVERIFY2(all.contains(QStringLiteral("2 rows have turns")), qPrintable(all));
    QVERIFY2(all.contains(QStringLiteral("1 rows have places")), qPrintable(all));
  }

  void meshesWithNumbersThatAreNone() {
    QVERIFY(writeWhole(at("mesh.ply"),
                       "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\n"
                       "property float wear\nelement face 2\nproperty list uchar int vertex_indices\nend_header\n"
                       "0 0 0 nan\n1 0 0 0.5\n1 0 1 inf\n0 0 1 0.25\n3 0 2 1\n3 0 3 2\n"));
    std::vector<Problem> warnings;
    const auto mesh = m_bench.files->surface(at("mesh.ply"), {}, warnings);
    QVERIFY2(mesh, mesh ? "" : toLine(mesh.error()).c_str());
    QCOMPARE((*mesh)->faceCount(), std::size_t{2});
    const auto* wear = columnOf<Column<float>>((*mesh)->vertexAttributes, "wear");
    QVERIFY(wear);
    for (std::size_t v = 0; v < (*mesh)->positions.size(); ++v) QVERIFY(std::isfinite((*wear)[v]));
    QVERIFY(std::any_of(warnings.begin(), warnings.end(),
                        [](const Problem& p) { return p.message.find("2 values of \"wear\"") != std::string::npos; }));
  }
};

QTEST_GUILESS_MAIN(TestNoNumbers)
#include "tst_no_numbers.moc"
