// What is read from files: every file that belongs to one counts, what was read is what is kept, nothing that failed is
// kept, and none of it needs a cache folder.
#include "core/formats/file_service.h"
#include "core/formats/plan_file.h"
#include "core/picture/render.h"
#include "core/plan/evaluator.h"
#include "core/plan/prop_loading.h"
#include "tests/support/support.h"

#include <fmt/format.h>
#include <sys/stat.h>

#include <atomic>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <thread>

using namespace arvesk;

namespace {

namespace fs = std::filesystem;

void write(const fs::path& path, const std::string& content) {
  fs::create_directories(path.parent_path());
  std::ofstream(path, std::ios::binary) << content;
}

std::string contentOf(const std::string& path) {
  std::ostringstream out;
  out << std::ifstream(path, std::ios::binary).rdbuf();
  return out.str();
}

/// One triangle, `wide` m wide, as a buffer of glTF.
std::string buffer(float wide) {
  const std::array<float, 9> xyz{0, 0, 0, wide, 0, 0, 0, 0, 1};
  return {reinterpret_cast<const char*>(xyz.data()), sizeof xyz};
}

std::string gltf(const std::string& texture = {}, int materials = 1) {
  std::string m;
  std::string primitives;
  for (int i = 0; i < materials; ++i) {
    m += (i ? "," : "") + std::string(R"({"pbrMetallicRoughness":{"baseColorTexture":{"index":0}}})");
    primitives += (i ? "," : "") + std::string(R"({"attributes":{"POSITION":0},"material":)") + std::to_string(i) + "}";
  }
  if (texture.empty()) primitives = R"({"attributes":{"POSITION":0}})";
  return R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],"meshes":[{"primitives":[)" +
         primitives +
         R"(]}],"buffers":[{"uri":"shape.bin","byteLength":36}],"bufferViews":[{"buffer":0,"byteLength":36}],)" +
         (texture.empty()
              ? ""
              : R"("materials":[)" + m + R"(],"textures":[{"source":0}],"images":[{"uri":")" + texture + R"("}],)") +
         R"("accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}]})";
}

/// Two by two pixels of a color.
std::string picture(std::uint32_t color) {
  QTemporaryDir dir;
  const std::string path = dir.filePath(QStringLiteral("p.png")).toStdString();
  Array<std::uint32_t> pixels;
  pixels.assign(4, color);
  return writePng(path, pixels, 2, 2) ? contentOf(path) : std::string();
}

std::string obj() { return "mtllib look.mtl\nusemtl skin\nv 0 0 0\nv 2 0 0\nv 0 0 1\nvt 0 0\nf 1/1 2/1 3/1\n"; }
std::string mtl(const char* red) { return std::string("newmtl skin\nKd ") + red + " 0 0\nmap_Kd skin.png\n"; }

}  // namespace

class TestFiles : public QObject {
  Q_OBJECT

  std::unique_ptr<QTemporaryDir> m_dir;
  fs::path at(const std::string& name) const { return fs::path(m_dir->path().toStdString()) / name; }
  FilePlaces places() const { return {{}, at("cache").string(), {}}; }
  std::vector<Problem> m_warnings;

  SurfacePtr surfaceOf(DiskFileService& files, const std::string& name) {
    m_warnings.clear();
    const auto s = files.surface(name, {}, m_warnings);
    if (!s) qWarning("%s", toLine(s.error()).c_str());
    return s ? *s : nullptr;
  }
  /// What a session that begins now sees.
  SurfacePtr anew(const std::string& name) {
    DiskFileService files(m_dir->path().toStdString(), places());
    if (!files.contentKey(name)) return nullptr;
    return surfaceOf(files, name);
  }
  float wideOf(const SurfacePtr& s) { return s ? s->bounds().extent().x : -1; }

 private Q_SLOTS:
  void init() { m_dir = std::make_unique<QTemporaryDir>(); }

  /// Who waits for a file is told which one it is and how many props are ready; who finds all in the cache is not.
  void whatIsReadIsSaid() {
    const auto plan = loadPlan(test::sourcePath("demo/examples/one-slope.arvesk").toStdString());
    QVERIFY(plan && !plan->props.empty());
    const auto said = [&] {
      std::vector<std::string> lines;
      EvalRequest request;
      request.atWork = [&](const AtWork& at) { lines.push_back(at.uid + ": " + at.doing); };
      const auto files = std::make_shared<DiskFileService>(test::sourcePath("demo/examples").toStdString(), places());
      const Evaluation e = Evaluator(files).evaluate(*plan, request);
      if (!e.propProblems.empty()) lines.push_back("problems");
      return lines;
    };
    const std::vector<std::string> lines = said();
    for (const PropEntry& prop : plan->props) {
      const std::string name = std::filesystem::path(prop.file).filename().string();
      QVERIFY2(std::any_of(lines.begin(), lines.end(),
                           [&](const std::string& line) {
                             return line.find(fmt::format(" of {} props, reading {}", plan->props.size(), name)) !=
                                    std::string::npos;
                           }),
               name.c_str());
    }
    QVERIFY(said().empty());
  }

  /// A file beside the named one is written anew, with as many bytes: the same session sees it, and so does the next;
  /// when it is as it was, what was read then is found again.
  void everyFileThatIsReadCounts_data() {
    QTest::addColumn<QString>("named");
    QTest::addColumn<QString>("side");
    QTest::newRow("buffer of a glTF") << "a.gltf"
                                      << "shape.bin";
    QTest::newRow("texture of a glTF") << "a.gltf"
                                       << "look.png";
    QTest::newRow("materials of an OBJ") << "b.obj"
                                         << "look.mtl";
    QTest::newRow("texture of an OBJ") << "b.obj"
                                       << "skin.png";
  }
  void everyFileThatIsReadCounts() {
    QFETCH(QString, named);
    QFETCH(QString, side);
    write(at("a.gltf"), gltf("look.png"));
    write(at("shape.bin"), buffer(2));
    write(at("look.png"), picture(0xc80a0a));
    write(at("b.obj"), obj());
    write(at("look.mtl"), mtl("0.5"));
    write(at("skin.png"), picture(0xc80a0a));
    const std::map<QString, std::string> other{{QStringLiteral("shape.bin"), buffer(3)},
                                               {QStringLiteral("look.png"), picture(0x0a0ac8)},
                                               {QStringLiteral("look.mtl"), mtl("0.7")},
                                               {QStringLiteral("skin.png"), picture(0x0a0ac8)}};
    const std::string name = named.toStdString();
    const auto looks = [&](const SurfacePtr& s) {
      const Material& m = s->materials.front();
      return std::tuple(wideOf(s), m.texture ? m.texture->rgba.front() : 0U, m.name, m.textureFile != nullptr);
    };
    DiskFileService files(m_dir->path().toStdString(), places());
    const std::uint64_t key = *files.contentKey(name);
    const SurfacePtr first = surfaceOf(files, name);
    QVERIFY(first && m_warnings.empty());
    QCOMPARE(*files.contentKey(name), key);  // knowing more of it is no change
    const std::vector<std::string> sides = files.sidesOf(name);
    QVERIFY(std::find(sides.begin(), sides.end(), at(side.toStdString()).string()) != sides.end());
    const std::string before = contentOf(at(side.toStdString()));
    write(at(side.toStdString()), other.at(side));
    QVERIFY(*files.contentKey(name) != key);
    const SurfacePtr second = surfaceOf(files, name);
    QVERIFY(second && second != first);
    if (side != QStringLiteral("look.mtl")) QVERIFY(looks(second) != looks(first));  // a texture hides its color
    QCOMPARE(looks(anew(name)), looks(second));
    write(at(side.toStdString()), before);
    QCOMPARE(looks(surfaceOf(files, name)), looks(first));
    QCOMPARE(looks(anew(name)), looks(first));
  }

  /// Several props of one file are loaded side by side: whoever comes first, what belongs to the file is known after.
  void manyAskAtOnce() {
    write(at("a.gltf"), gltf());
    for (int round = 0; round < 15; ++round) {
      fs::remove_all(at("cache"));
      write(at("shape.bin"), buffer(2));
      DiskFileService files(m_dir->path().toStdString(), places());
      std::atomic<bool> isRead{false};
      std::vector<std::thread> askers;
      for (int i = 0; i < 4; ++i)
        askers.emplace_back([&] {
          while (!isRead) (void)files.contentKey("a.gltf");
        });
      QVERIFY(surfaceOf(files, "a.gltf"));
      isRead = true;
      for (std::thread& asker : askers) asker.join();
      QCOMPARE(files.sidesOf("a.gltf").size(), std::size_t{1});
      const std::uint64_t key = *files.contentKey("a.gltf");
      write(at("shape.bin"), buffer(4));
      QVERIFY(*files.contentKey("a.gltf") != key);
      QCOMPARE(wideOf(surfaceOf(files, "a.gltf")), 4.0F);
    }
  }

  void theSameFileElsewhereHasItsOwn() {
    write(at("one/a.gltf"), gltf());
    write(at("two/a.gltf"), gltf());
    write(at("one/shape.bin"), buffer(2));
    write(at("two/shape.bin"), buffer(5));
    DiskFileService files(m_dir->path().toStdString(), places());
    for (int round = 0; round < 2; ++round) {
      QCOMPARE(wideOf(surfaceOf(files, "one/a.gltf")), 2.0F);
      QCOMPARE(wideOf(surfaceOf(files, "two/a.gltf")), 5.0F);
      QCOMPARE(wideOf(anew("two/a.gltf")), 5.0F);
      QCOMPARE(wideOf(anew("one/a.gltf")), 2.0F);
    }
  }

  /// Named as other systems do; what is missing is named, and counts when it comes.
  void sidesAreFoundOrNamed() {
    write(at("shape.bin"), buffer(2));
    write(at("Maps/Old Bark.PNG"), picture(0xc80a0a));
    for (const char* name :
         {"Maps/Old%20Bark.PNG", R"(.\\Maps\\Old Bark.PNG)", "maps/old bark.png", "maps/Old%20bark.png"}) {
      write(at("a.gltf"), gltf(name));
      const SurfacePtr s = anew("a.gltf");
      QVERIFY2(s && s->materials.front().texture && m_warnings.empty(), name);
    }
    write(at("a.gltf"), gltf("late.png"));
    DiskFileService files(m_dir->path().toStdString(), places());
    const std::uint64_t key = *files.contentKey("a.gltf");
    QVERIFY(!surfaceOf(files, "a.gltf")->materials.front().texture);
    QVERIFY(!m_warnings.empty() && m_warnings.front().message.find("late.png") != std::string::npos);
    QCOMPARE(*files.contentKey("a.gltf"), key);
    write(at("late.png"), picture(0x0ac80a));
    QVERIFY(*files.contentKey("a.gltf") != key);
    QVERIFY(surfaceOf(files, "a.gltf")->materials.front().texture && m_warnings.empty());
  }

  void aSharedTextureIsReadAndKeptOnce() {
    write(at("shape.bin"), buffer(2));
    write(at("a.gltf"), gltf("look.png", 40));
    write(at("look.png"), picture(0xc80a0a));
    for (int session = 0; session < 2; ++session) {
      const SurfacePtr s = anew("a.gltf");
      QVERIFY(s && s->materials.size() >= 40);
      for (int i = 1; i < 40; ++i) QCOMPARE(s->materials[static_cast<std::size_t>(i)].texture, s->materials[0].texture);
      QVERIFY(s->materials[0].texture);
    }
  }

  /// A file that is written to between the question for its key and its being read: what was read is not taken for what
  /// it was, then or later.
  void whatIsReadIsWhatIsKept() {
    write(at("shape.bin"), buffer(2));
    write(at("a.gltf"), gltf());
    write(at("other.bin"), buffer(7));
    const std::string helper = std::string(qgetenv("ARVESK_BIN_DIR").toStdString()) + "/arvesk-import-mesh";
    write(at("helpers/arvesk-import-mesh"), "#!/bin/sh\n[ -e \"" + at("once").string() + "\" ] || { touch \"" +
                                                at("once").string() + "\"; cp \"" + at("other.bin").string() + "\" \"" +
                                                at("shape.bin").string() + "\"; }\nexec \"" + helper + "\" \"$@\"\n");
    fs::permissions(at("helpers/arvesk-import-mesh"), fs::perms::owner_all);
    QCOMPARE(wideOf(anew("a.gltf")), 2.0F);  // its sides are known from now on
    fs::remove_all(at("cache"));
    DiskFileService files(m_dir->path().toStdString(), {at("helpers").string(), at("cache").string(), {}});
    fs::create_directories(at("cache"));
    const std::uint64_t key = *files.contentKey("a.gltf");
    const SurfacePtr read = surfaceOf(files, "a.gltf");
    QVERIFY(!read || wideOf(read) == 7.0F);
    QVERIFY(wideOf(surfaceOf(files, "a.gltf")) == 7.0F);
    QCOMPARE(wideOf(anew("a.gltf")), 7.0F);
    write(at("shape.bin"), buffer(2));
    QVERIFY(*files.contentKey("a.gltf") != key || wideOf(read) != 7.0F);
    QCOMPARE(wideOf(surfaceOf(files, "a.gltf")), 2.0F);
    QCOMPARE(wideOf(anew("a.gltf")), 2.0F);
    // The named file itself.
    write(at("c.obj"), "v 0 0 0\nv 2 0 0\nv 0 0 1\nf 1 2 3\n");
    write(at("helpers/arvesk-import-mesh"),
          "#!/bin/sh\nfor word; do file=$last; last=$word; done\nsed -i 's/v 2/v 7/' \"$file\"\nexec \"" + helper +
              "\" \"$@\"\n");
    QVERIFY(files.contentKey("c.obj"));
    QVERIFY(!surfaceOf(files, "c.obj"));
    QVERIFY(wideOf(surfaceOf(files, "c.obj")) == 7.0F || files.contentKey("c.obj"));
    QCOMPARE(wideOf(anew("c.obj")), 7.0F);
    write(at("c.obj"), "v 0 0 0\nv 2 0 0\nv 0 0 1\nf 1 2 3\n");
    QCOMPARE(wideOf(anew("c.obj")), 2.0F);
  }

  /// A reader that fails once is asked again; what was made with the stand-in of a prop is not taken for the prop.
  void noFailureIsKept() {
    write(at("shape.bin"), buffer(2));
    write(at("a.gltf"), gltf());
    const std::string helper = std::string(qgetenv("ARVESK_BIN_DIR").toStdString()) + "/arvesk-import-mesh";
    write(at("helpers/arvesk-import-mesh"),
          "#!/bin/sh\n[ -e \"" + at("works").string() + "\" ] || kill -9 $$\nexec \"" + helper + "\" \"$@\"\n");
    fs::permissions(at("helpers/arvesk-import-mesh"), fs::perms::owner_all);
    DiskFileService files(m_dir->path().toStdString(), {at("helpers").string(), at("cache").string(), {}});
    PropEntry entry;
    entry.name = "Shape";
    entry.uid = "s";
    entry.file = "a.gltf";
    const LoadedProp failed = loadProp(files, entry, {});
    QVERIFY(failed.problem && failed.prop->isMissing);
    QVERIFY2(failed.problem->message.find("damaged") == std::string::npos, failed.problem->message.c_str());
    write(at("works"), "");
    const LoadedProp works = loadProp(files, entry, {});
    QVERIFY(!works.problem && !works.prop->isMissing);
    QVERIFY(works.key != failed.key);
  }

  /// Without a cache folder that can be written all is read all the same, and said.
  void noCacheFolderIsNeeded() {
    write(at("shape.bin"), buffer(2));
    write(at("a.gltf"), gltf());
    write(at("full"), "a file where the folder should be");
    DiskFileService files(m_dir->path().toStdString(), {{}, at("full/cache").string(), {}});
    QVERIFY(files.contentKey("a.gltf"));
    QVERIFY(files.cacheNote().empty());
    QCOMPARE(wideOf(surfaceOf(files, "a.gltf")), 2.0F);
    QVERIFY(files.cacheNote().find("full/cache") != std::string::npos);
    write(at("shape.bin"), buffer(3));
    QVERIFY(files.contentKey("a.gltf"));
    QCOMPARE(wideOf(surfaceOf(files, "a.gltf")), 3.0F);
  }

  /// What nobody used for half a year goes, and what a killed session left; nothing else.
  void theCacheIsPruned() {
    write(at("shape.bin"), buffer(2));
    write(at("a.gltf"), gltf());
    const auto now = fs::file_time_type::clock::now();
    for (const char* name :
         {"cache/0123-5-mesh.asset", "cache/incoming-77-1", "cache/mine.txt", "cache/0124-5-mesh.asset"})
      write(at(name), "old");
    for (const char* name : {"cache/0123-5-mesh.asset", "cache/incoming-77-1", "cache/mine.txt"})
      fs::last_write_time(at(name), now - std::chrono::hours(24 * 200));
    bool isGone = false;
    for (int i = 0; i < 70 && !isGone; ++i) {  // once in many reads
      write(at("shape.bin"), buffer(static_cast<float>(i + 2)));
      QVERIFY(anew("a.gltf"));
      isGone = !fs::exists(at("cache/0123-5-mesh.asset"));
    }
    QVERIFY(isGone && !fs::exists(at("cache/incoming-77-1")));
    QVERIFY(fs::exists(at("cache/mine.txt")) && fs::exists(at("cache/0124-5-mesh.asset")));
  }

  /// A small file may hold a large image: limits go by what comes of it.
  void anImageOfManyPixels() {
    constexpr int kEdge = 8192;
    Array<std::uint32_t> pixels;
    pixels.assign(std::size_t{kEdge} * kEdge, 0x336699);
    QVERIFY(writePng(at("large.png").string(), pixels, kEdge, kEdge));
    pixels = {};
    QVERIFY(fs::file_size(at("large.png")) < (8U << 20));
    DiskFileService files(m_dir->path().toStdString(), places());
    const auto image = files.image("large.png", {});
    QVERIFY2(image, image ? "" : toLine(image.error()).c_str());
    QCOMPARE((*image)->width, kEdge);
    QVERIFY(test::within(static_cast<double>((*image)->values.back()), 0.6, 0.003));
  }

  /// What is no regular file is not waited for.
  void pipesAndFoldersAreRefused() {
    QCOMPARE(::mkfifo(at("pipe.obj").c_str(), 0600), 0);
    fs::create_directories(at("folder.obj"));
    DiskFileService files(m_dir->path().toStdString(), places());
    for (const char* name : {"pipe.obj", "folder.obj", "none.obj", "/dev/zero"}) {
      QVERIFY(!files.contentKey(name));
      QVERIFY(!files.surface(name, {}, m_warnings));
      QVERIFY(!files.image(name, {}));
    }
    write(at("p.obj"), "mtllib pipe.obj\nv 0 0 0\nv 2 0 0\nv 0 0 1\nf 1 2 3\n");
    QCOMPARE(wideOf(surfaceOf(files, "p.obj")), 2.0F);  // without it
    QVERIFY(!m_warnings.empty());
  }
};

QTEST_GUILESS_MAIN(TestFiles)
#include "tst_files.moc"
