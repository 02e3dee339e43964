// Import: each format read right, awkward and broken files answered with a message, through the helper process that the
// application uses.
#include "core/deliver/map_picture.h"
#include "core/formats/mesh_reader.h"
#include "core/formats/own_words.h"
#include "core/picture/render.h"
#include "tests/support/mutated.h"
#include "tests/support/support.h"

#include <QProcess>

#include <fstream>

using namespace arvesk;
using test::mutated;
using test::within;

namespace {

/// The same pyramid in every format: a 2 m square base, 1.5 m high.
const std::array<Vec3, 5> kCorners{Vec3(-1, 0, -1), Vec3(1, 0, -1), Vec3(1, 0, 1), Vec3(-1, 0, 1), Vec3(0, 1.5F, 0)};
const std::array<UVec3, 6> kFaces{UVec3(0, 1, 2), UVec3(0, 2, 3), UVec3(1, 0, 4),
                                  UVec3(2, 1, 4), UVec3(3, 2, 4), UVec3(0, 3, 4)};

std::string plyText() {
  std::string s =
      "ply\nformat ascii 1.0\ncomment a pyramid\nelement vertex 5\nproperty float x\nproperty float y\nproperty float "
      "z\nproperty float damp\nelement face 6\nproperty list uchar int vertex_indices\nend_header\n";
  for (const Vec3& c : kCorners)
    s += std::to_string(c.x) + " " + std::to_string(c.y) + " " + std::to_string(c.z) + " 0.25\n";
  for (const UVec3& f : kFaces)
    s += "3 " + std::to_string(f.x) + " " + std::to_string(f.y) + " " + std::to_string(f.z) + "\n";
  return s;
}

template <typename T>
void put(std::string& out, T value, bool isBig) {
  std::array<char, sizeof(T)> raw;
  std::memcpy(raw.data(), &value, sizeof value);
  if (isBig) std::reverse(raw.begin(), raw.end());
  out.append(raw.data(), raw.size());
}

std::string plyBinary(bool isBig, float firstX = -1) {
  std::string s = std::string("ply\nformat binary_") + (isBig ? "big" : "little") +
                  "_endian 1.0\nelement vertex 5\nproperty float x\nproperty float y\nproperty float z\nelement face "
                  "6\nproperty list uchar uint vertex_index\nend_header\n";
  for (std::size_t i = 0; i < kCorners.size(); ++i)
    for (int a = 0; a < 3; ++a) put(s, i == 0 && a == 0 ? firstX : kCorners[i][a], isBig);
  for (const UVec3& f : kFaces) {
    s += '\3';
    for (int a = 0; a < 3; ++a) put(s, f[a], isBig);
  }
  return s;
}

std::string objText() {
  std::string s = "# a pyramid\no pyramid\n";
  for (const Vec3& c : kCorners)
    s += "v " + std::to_string(c.x) + " " + std::to_string(c.y) + " " + std::to_string(c.z) + "\n";
  s += "f 1 2 3 4\n";  // a quad
  for (std::size_t f = 2; f < kFaces.size(); ++f)
    s += "f " + std::to_string(kFaces[f].x + 1) + " " + std::to_string(kFaces[f].y + 1) + " " +
         std::to_string(kFaces[f].z + 1) + "\n";
  return s;
}

std::string stlBinary() {
  std::string s(80, ' ');
  put(s, static_cast<std::uint32_t>(kFaces.size()), false);
  for (const UVec3& f : kFaces) {
    for (int i = 0; i < 3; ++i) put(s, 0.0F, false);
    for (int k = 0; k < 3; ++k)
      for (int a = 0; a < 3; ++a) put(s, kCorners[f[k]][a], false);
    put(s, std::uint16_t{0}, false);
  }
  return s;
}

std::string glb() {
  QFile file(test::sourcePath("demo/tern-cove/kit/pebble-a.glb"));
  if (!file.open(QIODevice::ReadOnly)) return {};
  return file.readAll().toStdString();
}

void write(const QString& path, const std::string& content) {
  std::ofstream(path.toStdString(), std::ios::binary) << content;
}

}  // namespace

namespace {

/// Uncompressed 16-bit gray, little-endian, one strip (TIFF 6.0, Adobe 1992, section 4).
std::string tiff(std::uint16_t width, std::uint16_t height) {
  std::string out = "II*";
  const auto put16 = [&](std::uint32_t v) {
    out += static_cast<char>(v & 0xff);
    out += static_cast<char>(v >> 8 & 0xff);
  };
  const auto put32 = [&](std::uint32_t v) {
    put16(v & 0xffff);
    put16(v >> 16);
  };
  out += '\0';
  const std::uint32_t bytes = 2U * width * height;
  put32(8 + bytes);
  for (std::uint32_t i = 0; i < bytes / 2; ++i) put16(static_cast<std::uint32_t>(mix64(i)) & 0xffff);
  const std::initializer_list<std::array<std::uint32_t, 3>> tags{{256, 3, width}, {257, 3, height}, {258, 3, 16},
                                                                 {259, 3, 1},     {262, 3, 1},      {273, 4, 8},
                                                                 {277, 3, 1},     {278, 3, height}, {279, 4, bytes}};
  put16(static_cast<std::uint32_t>(tags.size()));
  for (const auto& [tag, type, value] : tags) {
    put16(tag);
    put16(type);
    put32(1);
    put32(value);
  }
  put32(0);
  return out;
}

}  // namespace

class TestImport : public QObject {
  Q_OBJECT

  QTemporaryDir m_dir;
  QString path(const char* name) { return m_dir.filePath(QString::fromLatin1(name)); }

 private Q_SLOTS:
  /// A reason in our words, and the library's own on one line, in quotes that nothing in it ends.
  void librariesSpeakInOurWords() {
    QCOMPARE(inOwnWords(""), std::string("it is damaged"));
    QCOMPARE(inOwnWords("\n \n"), std::string("it is damaged"));
    QCOMPARE(inOwnWords("FBX-Tokenize unexpected end of file\nat 12"),
             std::string("it breaks off before its end; its reader says \"FBX-Tokenize unexpected end of file\""));
    QCOMPARE(inOwnWords("No suitable  reader found for the file format of \"a.fbx\"."),
             std::string("it is of another kind than its name says; its reader says \"No suitable reader found for the "
                         "file format of 'a.fbx'\""));
    QCOMPARE(inOwnWords("conversion failed"), std::string("it is damaged; its reader says \"conversion failed\""));
    QVERIFY(inOwnWords(std::string(5000, 'x')).size() < 400);
    // Through the helper: a file of each kind that is read by somebody else's code, of which half is missing.
    for (const auto& [name, content] : std::vector<std::pair<const char*, std::string>>{
             {"half.fbx", "Kaydara FBX Binary  \x00\x1a"}, {"half.3ds", "MM"}, {"words.off", "not a mesh at all"}}) {
      write(path(name), content);
      std::vector<Problem> warnings;
      const auto read = DiskFileService(m_dir.path().toStdString()).surface(name, {}, warnings);
      QVERIFY2(!read, name);
      QVERIFY2(read.error().message.find("its reader says \"") != std::string::npos ||
                   read.error().message.find("it is ") != std::string::npos,
               read.error().message.c_str());
    }
  }

  void theSamePyramidInEveryFormat_data() {
    QTest::addColumn<QString>("name");
    QTest::addColumn<QByteArray>("content");
    const auto row = [](const char* name, const std::string& content) {
      QTest::newRow(name) << QString::fromLatin1(name) << QByteArray::fromStdString(content);
    };
    row("ascii.ply", plyText());
    row("little.ply", plyBinary(false));
    row("big.ply", plyBinary(true));
    row("pyramid.obj", objText());
    row("pyramid.stl", stlBinary());
  }
  void theSamePyramidInEveryFormat() {
    QFETCH(QString, name);
    QFETCH(QByteArray, content);
    write(path(name.toLatin1().constData()), content.toStdString());
    DiskFileService files(m_dir.path().toStdString());
    std::vector<Problem> warnings;
    const auto s = files.surface(name.toStdString(), {}, warnings);
    QVERIFY2(s, s ? "" : toLine(s.error()).c_str());
    QCOMPARE((*s)->faceCount(), std::size_t{6});
    QVERIFY(glm::length((*s)->bounds().extent() - Vec3(2, 1.5F, 2)) < 1e-5F);
    double area = 0;
    for (std::size_t f = 0; f < 6; ++f) area += static_cast<double>((*s)->faceArea(f));
    QVERIFY(within(area, 4 + 4 * std::sqrt(1.5 * 1.5 + 1), 1e-5));
    QVERIFY(warnings.empty());
    if (name == QStringLiteral("ascii.ply"))
      QCOMPARE(std::get<Column<float>>((*s)->vertexAttributes.at("damp"))[3], 0.25F);
  }

  // A valid file whose first data byte is a line feed; a well-known reader aborts on it.
  void dataThatLooksLikeALineEnd() {
    float x;
    const std::uint32_t bits = 0xbf80000aU;  // little endian: the first byte is 0x0a
    std::memcpy(&x, &bits, sizeof x);
    write(path("newline.ply"), plyBinary(false, x));
    std::vector<Problem> warnings;
    const auto s = readMesh(path("newline.ply").toStdString(), warnings);
    QVERIFY(s);
    QCOMPARE(s->faceCount(), std::size_t{6});
  }

  void numbersThatAreNoneAreRepairedWithAWarning() {
    std::string text = plyText();
    text.replace(text.find("-1.000000 0.000000 -1.000000"), 28, "nan 0.000000 -1.000000      ");
    write(path("nan.ply"), text);
    std::vector<Problem> warnings;
    const auto s = readMesh(path("nan.ply").toStdString(), warnings);
    QVERIFY2(s, s ? "" : toLine(s.error()).c_str());
    QCOMPARE(s->faceCount(), std::size_t{2});
    QVERIFY(QString::fromStdString(warnings.front().message)
                .startsWith(QStringLiteral("4 faces had positions that are not numbers")));
  }

  void brokenFilesSayWhatIsWrong_data() {
    QTest::addColumn<QString>("name");
    QTest::addColumn<QByteArray>("content");
    QTest::addColumn<QString>("contains");
    const auto row = [](const char* what, const char* name, std::string content, const char* contains) {
      QTest::newRow(what) << QString::fromLatin1(name) << QByteArray::fromStdString(content)
                          << QString::fromLatin1(contains);
    };
    row("announces a billion vertices", "huge.ply",
        "ply\nformat binary_little_endian 1.0\nelement vertex 1000000000\nproperty float x\nproperty float y\nproperty "
        "float z\nend_header\nabc",
        "only 3 bytes follow");
    row("cut short", "short.ply", plyBinary(false).substr(0, plyBinary(false).size() - 20), "ends within its 6 faces");
    row("no end of header", "head.ply", "ply\nformat ascii 1.0\n", "the header has no end");
    row("empty", "empty.obj", "", "no usable triangles");
    row("not glTF", "text.glb", "hello", "glTF");
    row("not an image nor a mesh", "noise.stl", std::string(200, '\x7f'), "");
  }
  void brokenFilesSayWhatIsWrong() {
    QFETCH(QString, name);
    QFETCH(QByteArray, content);
    QFETCH(QString, contains);
    write(path(name.toLatin1().constData()), content.toStdString());
    DiskFileService files(m_dir.path().toStdString());
    std::vector<Problem> warnings;
    const auto s = files.surface(name.toStdString(), {}, warnings);
    QVERIFY(!s);
    QCOMPARE(QString::fromStdString(s.error().where), name);
    QVERIFY2(QString::fromStdString(s.error().message).contains(contains), s.error().message.c_str());
  }

  // 500 mutations of each format: a message or a valid mesh, never a crash of this process, never a long wait.
  void mutations_data() {
    QTest::addColumn<QString>("ending");
    QTest::addColumn<QByteArray>("content");
    QTest::newRow("ply, ascii") << ".ply" << QByteArray::fromStdString(plyText());
    QTest::newRow("ply, binary") << ".ply" << QByteArray::fromStdString(plyBinary(false));
    QTest::newRow("obj") << ".obj" << QByteArray::fromStdString(objText());
    QTest::newRow("stl") << ".stl" << QByteArray::fromStdString(stlBinary());
    QTest::newRow("glb") << ".glb" << QByteArray::fromStdString(glb());
  }
  void mutations() {
    QFETCH(QString, ending);
    QFETCH(QByteArray, content);
    QVERIFY(content.size() > 200);
    DiskFileService files(m_dir.path().toStdString());
    int fine = 0;
    int messages = 0;
    for (std::uint64_t seed = 0; seed < 500; ++seed) {
      const std::string bad = mutated(content.toStdString(), seed);
      const QString name = QStringLiteral("mutated%1%2").arg(seed).arg(ending);
      write(m_dir.filePath(name), bad);
      std::vector<Problem> warnings;
      const auto s = files.surface(name.toStdString(), {}, warnings);
      if (s) {
        ++fine;
        QVERIFY(checkSurface(**s));
      } else {
        ++messages;
        QVERIFY(!s.error().message.empty());
        QVERIFY2(s.error().message != "took too long to read", qPrintable(name));
      }
      QFile::remove(m_dir.filePath(name));
    }
    qInfo("%d valid, %d with a message", fine, messages);
    QVERIFY(messages > 10);
  }

  // 500 mutations of each image format, each read by a process of its own.
  void imageMutations_data() {
    QTest::addColumn<QString>("ending");
    QTest::addColumn<QByteArray>("content");
    const std::string png = m_dir.filePath(QStringLiteral("whole.png")).toStdString();
    Array<std::uint32_t> pixels;
    for (std::uint32_t i = 0; i < 24 * 20; ++i)
      pixels.push_back(0xff000000U | static_cast<std::uint32_t>(mix64(i)) % 0xffffffU);
    QVERIFY(writePng(png, pixels, 24, 20));
    QFile file(QString::fromStdString(png));
    QVERIFY(file.open(QIODevice::ReadOnly));
    QTest::newRow("png") << ".png" << file.readAll();
    QTest::newRow("tiff, 16-bit") << ".tif" << QByteArray::fromStdString(tiff(24, 20));
    MapPicture map{Vec2(0), 1, 24, 20, {}, "height"};
    for (std::uint32_t i = 0; i < 24 * 20; ++i) map.values.push_back(unitFloat(mix64(i)));
    QVERIFY(writeMapPicture(map, m_dir.filePath(QStringLiteral("whole.exr")).toStdString()));
    QFile exr(m_dir.filePath(QStringLiteral("whole.exr")));
    QVERIFY(exr.open(QIODevice::ReadOnly));
    QTest::newRow("exr, 32-bit") << ".exr" << exr.readAll();
  }
  void imageMutations() {
    QFETCH(QString, ending);
    QFETCH(QByteArray, content);
    DiskFileService files(m_dir.path().toStdString());
    write(m_dir.filePath(QStringLiteral("fine") + ending), content.toStdString());
    const auto fine = files.image(("fine" + ending).toStdString(), {});
    QVERIFY2(fine, fine ? "" : fine.error().message.c_str());
    QCOMPARE((*fine)->width, 24);
    QStringList pairs;
    for (std::uint64_t seed = 0; seed < 500; ++seed) {
      const QString name = m_dir.filePath(QStringLiteral("image%1%2").arg(seed).arg(ending));
      write(name, mutated(content.toStdString(), seed));
      pairs << name << name + QStringLiteral(".asset");
    }
    QProcess helper;
    helper.setStandardErrorFile(QProcess::nullDevice());
    helper.start(test::binPath("arvesk-import-image"), pairs);
    QVERIFY(helper.waitForFinished(240'000));
    QCOMPARE(helper.exitCode(), 0);
    int messages = 0;
    for (qsizetype k = 0; k < pairs.size(); k += 2) {
      const auto outcome = readOutcome(pairs[k + 1].toStdString());
      QVERIFY2(outcome, qPrintable(pairs[k]));
      if (outcome->image) {
        const Image& i = *outcome->image;
        QVERIFY(i.width > 0 && i.height > 0 && i.channels > 0);
        QCOMPARE(i.values.size(), static_cast<std::size_t>(i.width) * static_cast<std::size_t>(i.height) *
                                      static_cast<std::size_t>(i.channels));
      } else {
        ++messages;
        QVERIFY(outcome->failure && !outcome->failure->message.empty());
      }
      QFile::remove(pairs[k]);
      QFile::remove(pairs[k + 1]);
    }
    QVERIFY(messages > 5);
  }

  void awkwardPropsOfTheDemoAreReadAsDeclared() {
    DiskFileService files(QFileInfo(test::sourcePath("demo/tern-cove/tern-cove.arvesk")).absolutePath().toStdString());
    std::vector<Problem> warnings;
    const auto kale = files.surface("kit/sea-kale.glb", {}, warnings);  // in centimeters
    QVERIFY(kale && (*kale)->bounds().extent().x > 20);
    const auto slab = files.surface("kit/slab-b.glb", {}, warnings);  // Z-up
    QVERIFY(slab && (*slab)->bounds().extent().z < 1 && (*slab)->bounds().extent().y > 1);
    const auto marram = files.surface("kit/marram-a.glb", {}, warnings);
    QVERIFY(marram && (*marram)->materials.front().isTwoSided && !(*marram)->colors.empty());
  }

  void theCacheIsUsedAndADamagedOneIsMadeAgain() {
    write(path("cached.ply"), plyText());
    qputenv("ARVESK_CACHE_DIR", m_dir.filePath(QStringLiteral("cache")).toUtf8());
    std::vector<Problem> warnings;
    QVERIFY(DiskFileService(m_dir.path().toStdString()).surface("cached.ply", {}, warnings));
    const QFileInfoList kept = QDir(m_dir.filePath(QStringLiteral("cache"))).entryInfoList(QDir::Files);
    QCOMPARE(kept.size(), 1);
    write(kept.front().absoluteFilePath(), "damaged");
    QVERIFY(DiskFileService(m_dir.path().toStdString()).surface("cached.ply", {}, warnings));
    QVERIFY(QFileInfo(kept.front().absoluteFilePath()).size() > 100);
  }
};

QTEST_GUILESS_MAIN(TestImport)
#include "tst_import.moc"
