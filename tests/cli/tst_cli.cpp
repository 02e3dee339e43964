// arvesk-run as people use it: counts, exports, pictures, checks, the manual, and exit statuses.
#include "core/base/hash.h"
#include "core/formats/library.h"
#include "core/formats/plan_file.h"
#include "core/formats/read_files.h"
#include "core/plan/making_sub_plan.h"
#include "tests/support/runs.h"

#include <QElapsedTimer>

#include <sys/prctl.h>

#include <cmath>
#include <csignal>
#include <functional>

using namespace arvesk;
using test::ended;
using test::Ran;
using test::run;

namespace {

const int kKills = qEnvironmentVariableIsSet("ARVESK_KILLS") ? qEnvironmentVariableIntValue("ARVESK_KILLS") : 40;

/// Runs it in a shell, so that its output can go elsewhere.
int statusInShell(const QString& words) {
  QProcess p;
  p.start(QStringLiteral("sh"), {QStringLiteral("-c"), words.arg(test::binPath("arvesk-run"))});
  p.waitForFinished(300'000);
  return p.exitStatus() == QProcess::NormalExit ? p.exitCode() : -1;
}

/// A plan of the examples, changed.
QString changedSlope(const QTemporaryDir& dir, const std::function<void(QJsonObject&)>& change) {
  QFile from(test::sourcePath("demo/examples/one-slope.arvesk"));
  if (!from.open(QIODevice::ReadOnly)) qFatal("no example");
  QJsonObject plan = QJsonDocument::fromJson(from.readAll()).object();
  QJsonArray props = plan[QStringLiteral("props")].toArray();  // from where the plan is now
  for (QJsonValueRef ref : props) {
    QJsonObject prop = ref.toObject();
    prop[QStringLiteral("file")] = test::sourcePath("demo/examples/") + prop[QStringLiteral("file")].toString();
    ref = prop;
  }
  plan[QStringLiteral("props")] = props;
  change(plan);
  QFile to(dir.filePath(QStringLiteral("changed.arvesk")));
  if (!to.open(QIODevice::WriteOnly)) qFatal("cannot write");
  to.write(QJsonDocument(plan).toJson());
  return to.fileName();
}
/// Sets `key` of the node with this uid.
void setInNode(QJsonObject& plan, const QString& uid, const QString& key, const QJsonValue& value) {
  QJsonArray nodes = plan[QStringLiteral("nodes")].toArray();
  for (QJsonValueRef ref : nodes) {
    QJsonObject node = ref.toObject();
    if (node[QStringLiteral("uid")].toString() != uid) continue;
    node[key] = value;
    ref = node;
  }
  plan[QStringLiteral("nodes")] = nodes;
}

QString slope() { return test::sourcePath("demo/examples/one-slope.arvesk"); }

}  // namespace

class TestCli : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void everyDemoPlanEvaluates_data() {
    QTest::addColumn<QString>("plan");
    for (const char* plan :
         {"demo/tern-cove/tern-cove.arvesk", "demo/examples/one-slope.arvesk", "demo/examples/from-your-mesh.arvesk"})
      QTest::newRow(plan) << test::sourcePath(plan);
  }
  void everyDemoPlanEvaluates() {
    QFETCH(QString, plan);
    const Ran draft = run({"evaluate", plan, "--json", "--quality", "draft"});
    QVERIFY2(draft.status == 0, qPrintable(draft.err));
    const QJsonObject json = QJsonDocument::fromJson(draft.out.toUtf8()).object();
    QVERIFY(json["placed"].toInt() > 100);
    for (const QJsonValue& node : json["nodes"].toArray())
      QVERIFY2(node.toObject()["state"].toString() == QStringLiteral("done"),
               qPrintable(node.toObject()["title"].toString()));
    const Ran table = run({"evaluate", plan, "--quality", "draft", "--quiet"});
    QVERIFY(table.out.contains(QStringLiteral("placed (draft)")) && table.err.isEmpty());
  }

  /// Tern Cove is the size that it is said to be: hundreds of thousands of placements in final, a part of them in
  /// draft, within its budget.
  void theDemoIsAsLargeAsItSays() {
    const QString plan = test::sourcePath("demo/tern-cove/tern-cove.arvesk");
    const auto counts = [&](const char* quality) {
      return QJsonDocument::fromJson(
                 run({"evaluate", plan, "--json", "--quiet", "--quality", QString::fromLatin1(quality)}).out.toUtf8())
          .object();
    };
    const QJsonObject draft = counts("draft");
    const QJsonObject final = counts("final");
    QVERIFY(draft["placed"].toInt() > 40'000 && draft["placed"].toInt() < 120'000);
    QVERIFY(final["placed"].toInt() > 400'000);
    QFile file(plan);
    QVERIFY(file.open(QIODevice::ReadOnly));
    const QJsonObject budget =
        QJsonDocument::fromJson(file.readAll()).object()["settings"].toObject()["budgets"].toObject()["all"].toObject();
    QVERIFY(final["placed"].toDouble() <= budget["placements"].toDouble());
    QVERIFY(final["triangles"].toDouble() <= budget["triangles"].toDouble());
    QVERIFY(final["triangles"].toDouble() > 1e8);
    // Each Sow node of draft gives no more than in final.
    QHash<QString, int> passed;
    for (const QJsonValue& n : final["nodes"].toArray())
      passed[n.toObject()["uid"].toString()] = n.toObject()["given"].toInt();
    for (const QJsonValue& n : draft["nodes"].toArray())
      if (n.toObject()["kind"].toString() == QStringLiteral("sow-on-surface"))
        QVERIFY2(n.toObject()["given"].toInt() <= passed[n.toObject()["uid"].toString()],
                 qPrintable(n.toObject()["title"].toString()));
  }

  void settingsAndSeedsChangeTheResult() {
    const auto placed = [](const QStringList& more) {
      const Ran r = run(QStringList{"evaluate", slope(), "--json", "--quiet"} + more);
      return QJsonDocument::fromJson(r.out.toUtf8()).object()["placed"].toInt();
    };
    const int plain = placed({});
    QCOMPARE(placed({}), plain);
    QCOMPARE(placed({"--threads", "1"}), plain);
    QVERIFY(placed({"--set", "Level places.slope=0,0,5,6"}) < plain);
    QVERIFY(placed({"--seed", "99"}) != plain);
  }

  void exportsAgree() {
    QTemporaryDir dir;
    QStringList counts;
    for (const char* name : {"a.glb", "a.usda", "a.csv"}) {
      const Ran r = run({"export", slope(), "--to", dir.filePath(QString::fromLatin1(name)), "--quiet"});
      QVERIFY2(r.status == 0, qPrintable(r.err));
      counts << r.out.trimmed().section(QLatin1Char('\n'), -1).section(QStringLiteral("  in all"), 0, 0).trimmed();
    }
    QCOMPARE(counts[0], counts[1]);
    QCOMPARE(counts[0], counts[2]);
    QVERIFY(counts[0].toInt() > 1000);
  }

  void bodiesComeBesideOnWish() {
    QTemporaryDir dir;
    const QString plan = test::sourcePath("demo/examples/broken.arvesk");
    const Ran r = run({"export", plan, "--to", dir.filePath(QStringLiteral("wall.csv")), "--bodies", "--quiet"});
    QVERIFY2(r.status == 0, qPrintable(r.err));
    QVERIFY(QFileInfo(dir.filePath(QStringLiteral("wall-bodies.glb"))).size() > 10'000);
    QVERIFY(QFile::exists(dir.filePath(QStringLiteral("wall-contacts.csv"))));
  }

  /// A file for each frame; those that are there stay when asked, and a plan without time has no frames of its own.
  void framesAreFilesOfTheirOwn() {
    QTemporaryDir dir;
    const QString plan = changedSlope(dir, [](QJsonObject& p) {
      QJsonObject settings = p[QStringLiteral("settings")].toObject();
      settings[QStringLiteral("time")] = QJsonObject{{"first", 3}, {"last", 5}, {"rate", 24}};
      p[QStringLiteral("settings")] = settings;
      const auto key = [](int frame, double value) { return QJsonObject{{"frame", frame}, {"value", value}}; };
      setInNode(p, QStringLiteral("sow"), QStringLiteral("keys"),
                QJsonObject{{"density", QJsonObject{{"at", QJsonArray{key(3, 1), key(5, 3)}}}}});
    });
    const auto countOf = [&](const char* file) {
      QFile csv(dir.filePath(QLatin1String(file)));
      return csv.open(QIODevice::ReadOnly) ? csv.readAll().count('\n') : -1;
    };
    const QStringList words{"export", plan, "--to", dir.filePath(QStringLiteral("film.csv")), "--quiet"};
    const Ran all = run(words + QStringList{"--frames", "all"});
    QVERIFY2(all.status == 0, qPrintable(all.err));
    QVERIFY(countOf("film.0003.csv") > 10 && !QFile::exists(dir.filePath(QStringLiteral("film.0002.csv"))));
    QVERIFY(countOf("film.0004.csv") > countOf("film.0003.csv") && countOf("film.0005.csv") > countOf("film.0004.csv"));
    // One frame alone is the same, whatever was worked out before it.
    QCOMPARE(run(words + QStringList{"--frame", "4"}).status, 0);
    QFile one(dir.filePath(QStringLiteral("film.csv")));
    QFile same(dir.filePath(QStringLiteral("film.0004.csv")));
    QVERIFY(one.open(QIODevice::ReadOnly) && same.open(QIODevice::ReadOnly) && one.readAll() == same.readAll());
    const auto rows = countOf("film.0003.csv") + countOf("film.0004.csv") + countOf("film.0005.csv");
    QVERIFY(QFile::remove(dir.filePath(QStringLiteral("film.0005.csv"))));
    QFile stays(dir.filePath(QStringLiteral("film.0004.csv")));
    QVERIFY(stays.open(QIODevice::WriteOnly) && stays.write("mine") == 4);
    stays.close();
    QCOMPARE(run(words + QStringList{"--frames", "3-5", "--go-on"}).status, 0);
    QVERIFY(countOf("film.0004.csv") == 0 && countOf("film.0005.csv") > 10);
    const Ran picture = run({"picture", plan, "--to", dir.filePath(QStringLiteral("p.png")), "--size", "60x40",
                             "--samples", "1", "--frames=-1-0", "--quiet"});
    QVERIFY2(picture.status == 0, qPrintable(picture.err));
    QVERIFY(QFile::exists(dir.filePath(QStringLiteral("p.-001.png"))) &&
            QFile::exists(dir.filePath(QStringLiteral("p.0000.png"))));
    const Ran none = run({"export", slope(), "--to", dir.filePath(QStringLiteral("x.csv")), "--frames", "all"});
    QVERIFY(none.status == 1 && none.err.contains(QStringLiteral("the plan has no time")));
    const Ran wrong = run({"export", slope(), "--to", dir.filePath(QStringLiteral("x.csv")), "--frames", "9-3"});
    QVERIFY(wrong.status == 1 && wrong.err.contains(QStringLiteral("are not like 1-120")));
    QCOMPARE(run({"export", slope(), "--to", "x.csv", "--frame", "3", "--frames", "all"}).status, 2);
    // All of them in one file, where it can hold them.
    const QStringList inOne{"export", plan, "--frames", "all", "--in-one", "--quiet", "--to"};
    QVERIFY2(run(inOne + QStringList{dir.filePath(QStringLiteral("film.usda"))}).status == 0, "USD");
    QFile usd(dir.filePath(QStringLiteral("film.usda")));
    QVERIFY(usd.open(QIODevice::ReadOnly) && usd.readAll().contains("invisibleIds.timeSamples"));
    QVERIFY2(run(inOne + QStringList{dir.filePath(QStringLiteral("film.glb"))}).status == 0, "glTF");
    // Of tables and clouds the frames follow each other, each row with its own.
    QCOMPARE(run(inOne + QStringList{dir.filePath(QStringLiteral("all.csv"))}).status, 0);
    QCOMPARE(countOf("all.csv"), rows - 2);  // one head in place of three
    QCOMPARE(run(inOne + QStringList{dir.filePath(QStringLiteral("all.ply"))}).status, 0);
    QFile cloud(dir.filePath(QStringLiteral("all.ply")));
    QVERIFY(cloud.open(QIODevice::ReadOnly));
    const QByteArray head = cloud.read(4000);
    QVERIFY(head.contains("property float frame\n") && head.count("comment output ") == 1);
    const Ran mesh = run(inOne + QStringList{dir.filePath(QStringLiteral("all.obj"))});
    QVERIFY(mesh.status == 1 && mesh.err.contains(QStringLiteral("holds one frame")));
    QVERIFY(!QFile::exists(dir.filePath(QStringLiteral("all.obj"))));
    // What goes on over them: more come, nobody goes.
    const Ran told = run({"frames", plan, "--json", "--quiet"});
    QVERIFY2(told.status == 0, qPrintable(told.err));
    const QJsonObject over = QJsonDocument::fromJson(told.out.toUtf8()).object();
    QCOMPARE(over[QStringLiteral("frames")].toArray().size(), 3);
    const QJsonObject last = over[QStringLiteral("frames")].toArray()[2].toObject();
    QVERIFY(last[QStringLiteral("came")].toInt() > 0 && last[QStringLiteral("went")].toInt() == 0);
    QVERIFY(over[QStringLiteral("flickering")].toInt() == 0 && over[QStringLiteral("steps")].toArray().isEmpty());
  }

  void picturesHaveTheSizeAsked() {
    QTemporaryDir dir;
    const QString path = dir.filePath(QStringLiteral("p.png"));
    const Ran r = run(
        {"picture", slope(), "--to", path, "--size", "120x80", "--samples", "1", "--quality", "draft", "--quiet"});
    QVERIFY2(r.status == 0, qPrintable(r.err));
    QFile png(path);
    QVERIFY(png.open(QIODevice::ReadOnly));
    const QByteArray head = png.read(24);
    QCOMPARE(static_cast<uchar>(head[19]), uchar{120});  // width and height in the header chunk, big endian
    QCOMPARE(static_cast<uchar>(head[23]), uchar{80});
  }

  void aCameraThatIsNotThereIsNoOther() {
    QTemporaryDir dir;
    const Ran r = run({"picture", test::sourcePath("demo/examples/one-slope.arvesk"), "--to",
                       dir.filePath(QStringLiteral("none.png")), "--camera", "Nowhere", "--quality", "draft"});
    QCOMPARE(r.status, 1);
    QVERIFY2(r.err.contains(QStringLiteral("no camera \"Nowhere\"")), qPrintable(r.err));
    QVERIFY(!QFile::exists(dir.filePath(QStringLiteral("none.png"))));
  }

  void checkTellsFactsAndFaults() {
    const Ran mesh = run({"check", test::sourcePath("demo/tern-cove/kit/boulder-a.glb"), "--json"});
    QCOMPARE(mesh.status, 0);
    QCOMPARE(QJsonDocument::fromJson(mesh.out.toUtf8()).array()[0].toObject()["facts"].toObject()["triangles"].toInt(),
             1280);
    QTemporaryDir dir;
    QFile bad(dir.filePath(QStringLiteral("bad.arvesk")));
    QVERIFY(bad.open(QIODevice::WriteOnly));
    bad.write(
        R"({"format":"arvesk-plan","nodes":[{"uid":"a","kind":"vary","title":"V","params":{"amount":900},"inputs":{"points":[{"node":"gone","output":"points"}]}}]})");
    bad.close();
    const Ran plan = run({"check", bad.fileName()});
    QCOMPARE(plan.status, 1);
    QVERIFY(plan.err.contains(QStringLiteral("error: V: Amount is 900 %, must be 0 to 200")));
    QVERIFY(plan.err.contains(QStringLiteral("comes from a node that is not there (gone)")));
    // What would do nothing, fail or surprise is told with file and node.
    QFile::copy(test::sourcePath("demo/tern-cove/kit/boulder-a.glb"), dir.filePath(QStringLiteral("rock.glb")));
    QFile odd(dir.filePath(QStringLiteral("odd.arvesk")));
    QVERIFY(odd.open(QIODevice::WriteOnly));
    odd.write(
        R"({"format":"arvesk-plan","props":[{"uid":"r","name":"rock","file":"rock.glb","common_height":90,"hight":2},
      {"uid":"l","name":"lost","file":"lost.glb"}],"nodes":[
      {"uid":"p","kind":"pattern","title":"Row","params":{"cuont":3}},
      {"uid":"k","kind":"choose-props","title":"Kit","params":{"pattern":"roc; rock"}},
      {"uid":"d","kind":"dress","title":"Dress","inputs":{"points":[{"node":"p","output":"points"}],"kti":[{"node":"k","output":"kit"}]}},
      {"uid":"s","kind":"set-down","title":"Down","inputs":{"points":[{"node":"p","output":"points"}]}}]})");
    odd.close();
    const Ran surprises = run({"check", odd.fileName()});
    QCOMPARE(surprises.status, 1);
    for (const char* words : {"Row: there is no parameter \"cuont\". Is \"count\" meant",
                              "Dress: there is no input \"kti\". Is \"kit\" meant", "Dress: Kit is not connected",
                              "Down: Ground is not connected", "no prop is called \"roc\"", "lost"})
      QVERIFY2(surprises.err.contains(QLatin1String(words)), qPrintable(surprises.err));
    QVERIFY2(surprises.err.contains(QStringLiteral("rock: ")), qPrintable(surprises.err));  // 90 m high
    for (const char* good : {"demo/tern-cove/tern-cove.arvesk", "demo/examples/growth.arvesk"})
      QCOMPARE(run({"check", test::sourcePath(good)}).status, 0);
  }

  /// Names in an older encoding come through as the words that they are, in what is told and in what is exported.
  void namesInAnOlderEncoding() {
    QTemporaryDir dir;
    const auto write = [&](const char* name, const QByteArray& content) {
      QFile file(dir.filePath(QString::fromLatin1(name)));
      if (file.open(QIODevice::WriteOnly)) file.write(content);
    };
    write("moos.obj", "mtllib moos.mtl\no Gr\xfcnes Moos\nusemtl bl\xe4ulich\nv 0 0 0\nv 1 0 0\nv 0 0 -1\nf 1 2 3\n");
    write("moos.mtl", "newmtl bl\xe4ulich\nKd 0.2 0.3 0.4\n");
    const Ran told = run({"check", dir.filePath(QStringLiteral("moos.obj")), "--json"});
    QCOMPARE(told.status, 0);
    QCOMPARE(QJsonDocument::fromJson(told.out.toUtf8())
                 .array()[0]
                 .toObject()["facts"]
                 .toObject()["parts"]
                 .toArray()[0]
                 .toString(),
             QStringLiteral("Grünes Moos"));
    write("moos.arvesk",
          R"({"format":"arvesk-plan","version":1,"props":[{"uid":"m","name":"moos","file":"moos.obj"}],"nodes":[
      {"uid":"p","kind":"pattern","title":"P","params":{"count":3},"inputs":{}},
      {"uid":"k","kind":"choose-props","title":"K","params":{"pattern":"*"},"inputs":{}},
      {"uid":"d","kind":"dress","title":"D","inputs":{"points":[{"node":"p","output":"points"}],"kit":[{"node":"k","output":"kit"}]}},
      {"uid":"g","kind":"on-props","title":"G","params":{"at":"parts","names":"Gr*"},"inputs":{"points":[{"node":"d","output":"points"}]}},
      {"uid":"o","kind":"output","title":"O","inputs":{"points":[{"node":"g","output":"points"}]}}]})");
    for (const char* format : {"glb", "usda", "csv", "obj", "ply"}) {
      const QString to = dir.filePath(QStringLiteral("out.%1").arg(QLatin1String(format)));
      const Ran r = run({"export", dir.filePath(QStringLiteral("moos.arvesk")), "--to", to, "--quiet"});
      QVERIFY2(r.status == 0, qPrintable(r.err));
      QFile file(to);
      QVERIFY(file.open(QIODevice::ReadOnly));
      const QByteArray bytes = file.readAll();
      QVERIFY2(!bytes.contains("\xfcn") || qstrcmp(format, "ply") == 0 || qstrcmp(format, "glb") == 0,
               format);  // binary data may hold any byte
      if (qstrcmp(format, "csv") == 0) QVERIFY2(bytes.contains("Gr\xc3\xbcnes"), format);
    }
  }

  void theManualIsTheOneInDocs() {
    QTemporaryDir made;
    QCOMPARE(run({"nodes", "--manual", made.path(), "--no-pictures"}).status, 0);
    const QStringList pages = QDir(made.path()).entryList({QStringLiteral("*.md")});
    QCOMPARE(QDir(test::sourcePath("docs/nodes")).entryList({QStringLiteral("*.md")}), pages);
    QVERIFY(pages.size() > 40);
    for (const QString& page : pages) {
      QFile now(made.filePath(page));
      QFile kept(test::sourcePath("docs/nodes/") + page);
      QVERIFY(now.open(QIODevice::ReadOnly) && kept.open(QIODevice::ReadOnly));
      QVERIFY2(now.readAll() == kept.readAll(), qPrintable(page + QStringLiteral(" is out of date: ./run --pictures")));
      if (page != QStringLiteral("README.md"))
        QVERIFY2(QFile::exists(test::sourcePath("docs/nodes/") + QFileInfo(page).completeBaseName() +
                               QStringLiteral(".png")),
                 qPrintable(page));
    }
    QVERIFY(QJsonDocument::fromJson(run({"nodes", "--json"}).out.toUtf8()).array().size() >= 19);
  }

  /// A library's sub-plans are listed and have pages; one runs alone, set by its front controls.
  void subPlansOfALibrary() {
    QTemporaryDir dir;
    const std::string home = test::sourcePath("demo/examples").toStdString();
    auto plan = loadPlan(test::sourcePath("demo/examples/one-slope.arvesk").toStdString());
    const auto made = makeSubPlan(*plan, {"sow", "slope"}, "Level stones");
    QVERIFY(made);
    SubPlan& tool = *plan->findSubPlan(made->subPlan);
    tool.help = "Stones where it is level. And so on";
    FrontControl density = frontLike(*findNodeKind("sow-on-surface")->findParam("density"), "density", 14.0);
    tool.fronts = {density};
    tool.checks = {{"level_places > 100000", "Too few stones"}};
    for (Node& node : tool.nodes)
      if (node.uid == "sow") node.follows["density"] = "density";
    fitSubPlans(*plan);
    const auto file = keepInLibrary(*plan, made->subPlan, dir.path().toStdString(), home);
    QVERIFY(file);
    const Ran listed = run({QStringLiteral("nodes"), QStringLiteral("--library"), dir.path()});
    QCOMPARE(listed.status, 0);
    QVERIFY(listed.out.contains(QStringLiteral("Level stones         Stones where it is level\n")));
    const QString pages = dir.filePath(QStringLiteral("pages"));
    QCOMPARE(run({QStringLiteral("nodes"), QStringLiteral("--library"), dir.path(), QStringLiteral("--manual"), pages,
                  QStringLiteral("--no-pictures")})
                 .status,
             0);
    QFile page(pages + QStringLiteral("/level-stones.md"));
    QVERIFY(page.open(QIODevice::ReadOnly) && page.readAll().contains("| Density |"));
    const auto counted = [&](const QStringList& more) {
      return run(QStringList{QStringLiteral("evaluate"), QString::fromStdString(*file)} + more);
    };
    const Ran usual = counted({});
    const Ran fewer = counted({QStringLiteral("--set"), QStringLiteral("density=2")});
    QCOMPARE(usual.status, 0);
    QVERIFY2(usual.err.contains(QStringLiteral("Too few stones")), qPrintable(usual.err));  // the author's check
    QCOMPARE(fewer.status, 0);
    QVERIFY(fewer.out.contains(QStringLiteral("Level stones")) && fewer.out != usual.out);
    const Ran misspelled = counted({QStringLiteral("--set"), QStringLiteral("densty=2")});
    QCOMPARE(misspelled.status, 1);
    QVERIFY2(misspelled.err.contains(QStringLiteral("Is \"density\" meant?")), qPrintable(misspelled.err));
    QCOMPARE(counted({QStringLiteral("--set"), QStringLiteral("seed=4")}).status, 0);
  }

  void exitStatusAndMessage_data() {
    QTest::addColumn<QStringList>("arguments");
    QTest::addColumn<int>("status");
    QTest::addColumn<QString>("message");
    QTest::newRow("no subcommand") << QStringList{} << 2 << "subcommand";
    QTest::newRow("unknown option") << QStringList{"evaluate", slope(), "--colour"} << 2 << "--colour";
    QTest::newRow("bad quality") << QStringList{"evaluate", slope(), "--quality", "best"} << 2 << "best";
    QTest::newRow("no such plan") << QStringList{"evaluate", "gone.arvesk"} << 1
                                  << "error: gone.arvesk: there is no such file";
    QTest::newRow("no such node") << QStringList{"evaluate", slope(), "--set", "Moss.density=2"} << 1
                                  << "no node has the title or uid \"Moss\"";
    QTest::newRow("unknown format") << QStringList{"export", slope(), "--to", "x.docx"} << 1
                                    << "Use .glb, .gltf, .usda, .csv, .ply, .obj or .vdb";
    QTest::newRow("a picture that is none")
        << QStringList{"picture", slope(), "--to", "x.jpg"} << 1 << "the format is not known by its ending";
    QTest::newRow("a cover that is none") << QStringList{"cover", slope(), "--to", "x.jpg"} << 1 << "Use .png or .exr";
    QTest::newRow("a folder that is not there")
        << QStringList{"export", slope(), "--to", "nowhere/x.glb", "--quality", "draft"} << 1 << "could not be written";
    QTest::newRow("no such output") << QStringList{"export", slope(), "--to", "x.glb", "--output", "Moss"} << 1
                                    << "no Output node titled \"Moss\"";
    QTest::newRow("too many points") << QStringList{"evaluate", slope(), "--limit-points", "100"} << 1
                                     << "the limit is 100";
    QTest::newRow("cut is no cut") << QStringList{"picture", slope(), "--to", "x.png", "--cut", "x>3,5"} << 1
                                   << QStringLiteral("not like x>3.5");
    QTest::newRow("size is no size") << QStringList{"picture", slope(), "--to", "x.png", "--size", "huge"} << 1
                                     << "is not like 1280x800";
  }
  void exitStatusAndMessage() {
    QFETCH(QStringList, arguments);
    QFETCH(int, status);
    QFETCH(QString, message);
    const Ran r = run(arguments);
    QCOMPARE(r.status, status);
    QVERIFY2(r.err.contains(message), qPrintable(r.err));
    if (status != 1) return;
    const Ran quiet = run(arguments + QStringList{QStringLiteral("--quiet")});
    QCOMPARE(quiet.status, status);
    QVERIFY2(quiet.err.contains(message), qPrintable(quiet.err));
  }

  // Whatever went wrong inside the plan is told and counts, though there is something to hand over.
  void whatIsWrongInAPlanCounts() {
    QTemporaryDir dir;
    const QString csv = dir.filePath(QStringLiteral("out.csv"));
    const auto told = [&](const QString& plan, const QString& message) {
      for (const QStringList& way :
           {QStringList{"evaluate", plan, "--quiet"}, {"export", plan, "--to", csv, "--without-missing", "--quiet"}}) {
        const Ran r = run(way);
        QCOMPARE(r.status, 1);
        QVERIFY2(r.err.contains(message), qPrintable(r.err));
      }
    };
    told(changedSlope(dir,
                      [](QJsonObject& plan) {
                        QJsonArray props = plan[QStringLiteral("props")].toArray();
                        QJsonObject first = props[0].toObject();
                        first[QStringLiteral("file")] = QStringLiteral("gone.glb");
                        props[0] = first;
                        plan[QStringLiteral("props")] = props;
                      }),
         QStringLiteral("gone.glb"));
    const QJsonObject loop{{QStringLiteral("points"), QJsonArray{QJsonObject{{QStringLiteral("node"), "slope"},
                                                                             {QStringLiteral("output"), "points"}}}}};
    told(changedSlope(dir, [&](QJsonObject& plan) { setInNode(plan, "slope", "inputs", loop); }),
         QStringLiteral("come from itself"));
    told(changedSlope(dir, [&](QJsonObject& plan) { setInNode(plan, "sow", "kind", "no-such-kind"); }),
         QStringLiteral("no-such-kind"));
  }

  void foldersAreAllowedByAnOption() {
    QTemporaryDir dir;
    const auto write = [&](const char* name, const QByteArray& text) {
      QFile file(dir.filePath(QLatin1String(name)));
      QVERIFY(QDir().mkpath(QFileInfo(file.fileName()).absolutePath()) && file.open(QIODevice::WriteOnly));
      file.write(text);
    };
    write("far/skin.mtl", "newmtl skin\nKd 0.5 0.2 0.2\n");
    write("mesh/a.obj", "mtllib ../far/skin.mtl\nusemtl skin\nv 0 0 0\nv 2 0 0\nv 0 0 1\nf 1 2 3\n");
    write(
        "plans/a.arvesk",
        R"({"format":"arvesk-plan","nodes":[{"uid":"m","kind":"mesh-file","title":"M","params":{"file":"../mesh/a.obj"}}]})");
    const QString plan = dir.filePath(QStringLiteral("plans/a.arvesk"));
    const Ran shut = run({"evaluate", plan});
    QVERIFY2(shut.err.contains(QStringLiteral("lies outside")), qPrintable(shut.err));
    const Ran open = run({"evaluate", "--allow", dir.filePath(QStringLiteral("far")), plan});
    QCOMPARE(open.status, 0);
    QVERIFY2(open.err.isEmpty(), qPrintable(open.err));
    QCOMPARE(run({"evaluate", plan, "--allow", dir.filePath(QStringLiteral("none"))}).status, 2);
  }

  // Killed at any moment, what stands under the chosen name leads to whole files of its own.
  void killedExportsLeaveWholeFiles() {
    QTemporaryDir dir;
    const QString path = dir.filePath(QStringLiteral("killed.gltf"));
    const auto start = [&](QProcess& p, int seed) {
      p.start(test::binPath("arvesk-run"),
              {"export", slope(), "--to", path, "--seed", QString::number(seed), "--quiet"});
    };
    QElapsedTimer clock;
    clock.start();
    QProcess whole;
    start(whole, 1);
    QVERIFY(whole.waitForFinished(300'000));
    QCOMPARE(whole.exitCode(), 0);
    const double ms = static_cast<double>(clock.elapsed());
    std::set<QString> seen;
    for (int n = 0; n < kKills; ++n) {
      QProcess p;
      start(p, n + 2);
      // Denser at the end, where files are put in place.
      const double share = 1 - 0.6 * std::pow(unitDouble(hashOf(7, static_cast<std::uint64_t>(n))), 2);
      // Some are let through, however busy the machine is by then.
      const bool isSpared = n % 8 == 7;
      if (!p.waitForFinished(isSpared ? 300'000 : std::max(1, static_cast<int>(ms * share * 1.1)))) p.kill();
      p.waitForFinished(60'000);
      QFile file(path);
      QVERIFY(file.open(QIODevice::ReadOnly));
      const QJsonObject buffer =
          QJsonDocument::fromJson(file.readAll()).object()[QStringLiteral("buffers")].toArray()[0].toObject();
      const QString uri = buffer[QStringLiteral("uri")].toString();
      seen.insert(uri);
      QFile bin(dir.filePath(uri));
      QVERIFY2(bin.open(QIODevice::ReadOnly), qPrintable(uri));
      QCOMPARE(bin.size(), static_cast<qint64>(buffer[QStringLiteral("byteLength")].toDouble()));
      const QString hash =
          QString::number(hashOfFile(bin.fileName().toStdString()), 16).rightJustified(16, QLatin1Char('0'));
      QVERIFY2(uri.contains(hash), qPrintable(uri + QLatin1Char(' ') + hash));
    }
    QVERIFY(seen.size() > 1 || kKills < 8);  // some came through
    QProcess last;
    start(last, 1);
    QVERIFY(last.waitForFinished(300'000));
    // The two files and nothing else: what the killed ones left is gone.
    QCOMPARE(QDir(dir.path()).entryList(QDir::Files | QDir::Hidden).size(), 2);
  }

  // The disk fills up while files are written, sooner or later (none may grow beyond a size): an error in words, the
  // file of before stays whole, and nothing is left behind.
  void aDiskThatFillsUp_data() {
    QTest::addColumn<QString>("ending");
    for (const char* e : {"glb", "gltf", "usda", "csv", "ply", "obj"}) QTest::newRow(e) << QString::fromLatin1(e);
  }
  void aDiskThatFillsUp() {
    QFETCH(QString, ending);
    QTemporaryDir dir;
    const QString path = dir.filePath(QStringLiteral("out.") + ending);
    QCOMPARE(run({"export", slope(), "--to", path, "--quality", "draft", "--quiet"}).status, 0);
    const auto content = [&] {
      std::map<QString, QByteArray> files;
      for (const QString& name : QDir(dir.path()).entryList(QDir::Files | QDir::Hidden)) {
        QFile file(dir.filePath(name));
        files[name] = file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
      }
      return files;
    };
    const auto before = content();
    int failures = 0;
    for (const int kilobytes : {0, 1, 4, 16, 64, 256}) {
      QProcess p;
      p.start(QStringLiteral("bash"),
              {QStringLiteral("-c"), QStringLiteral("trap '' XFSZ; ulimit -f %1; exec \"$0\" \"$@\"").arg(kilobytes),
               test::binPath("arvesk-run"), "export", slope(), "--to", path, "--seed", "77", "--quality", "draft"});
      const Ran ran = ended(p);
      if (ran.status == 0) continue;
      ++failures;
      QCOMPARE(ran.status, 1);
      QVERIFY2(ran.err.contains(QStringLiteral("error: ")) && ran.err.contains(QStringLiteral("/out")),
               qPrintable(ran.err));
      QVERIFY2(content() == before, qPrintable(QString::number(kilobytes)));
    }
    QVERIFY(failures >= 2);
  }

  // Eight processes that take all the time of the machine: the demo is read anew and worked out all the same.
  void aBusyMachine() {
    QTemporaryDir dir;
    std::vector<std::unique_ptr<QProcess>> busy;
    for (int i = 0; i < 8; ++i) {
      busy.push_back(std::make_unique<QProcess>());
      busy.back()->setChildProcessModifier([] { prctl(PR_SET_PDEATHSIG, SIGKILL); });  // also when the test is killed
      busy.back()->start(QStringLiteral("sh"), {QStringLiteral("-c"), QStringLiteral("while :; do :; done")});
      QVERIFY(busy.back()->waitForStarted(60'000));
    }
    QProcess p;
    QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
    environment.insert(QStringLiteral("ARVESK_CACHE_DIR"), dir.filePath(QStringLiteral("cache")));
    p.setProcessEnvironment(environment);
    p.start(test::binPath("arvesk-run"),
            {"evaluate", test::sourcePath("demo/tern-cove/tern-cove.arvesk"), "--quality", "draft"});
    const Ran ran = ended(p);
    for (const auto& other : busy) {
      QCOMPARE(other->state(), QProcess::Running);
      other->kill();
      other->waitForFinished();
    }
    QVERIFY2(ran.status == 0, qPrintable(ran.err));
    QVERIFY2(!ran.err.contains(QStringLiteral("error")), qPrintable(ran.err));
  }

  // Ten sowings that would take 4 GB together: what is beyond the limit is refused before it is taken, and the process
  // stays within it. A prop of a hundred times its size is asked about.
  void whatIsTooLargeIsRefusedBefore() {
    QTemporaryDir dir;
    const QString ten = changedSlope(dir, [](QJsonObject& plan) {
      QJsonArray nodes{plan[QStringLiteral("nodes")].toArray()[0]};
      const QString ground = nodes[0].toObject()[QStringLiteral("uid")].toString();
      for (int i = 0; i < 10; ++i)
        nodes.append(QJsonObject{
            {QStringLiteral("uid"), QStringLiteral("sow%1").arg(i)},
            {QStringLiteral("kind"), QStringLiteral("sow-on-surface")},
            {QStringLiteral("title"), QStringLiteral("Sow %1").arg(i)},
            {QStringLiteral("params"),
             QJsonObject{{QStringLiteral("amount"), QStringLiteral("total")}, {QStringLiteral("total"), 16'000'000}}},
            {QStringLiteral("inputs"),
             QJsonObject{{QStringLiteral("surface"),
                          QJsonArray{QJsonObject{{QStringLiteral("node"), ground},
                                                 {QStringLiteral("output"), QStringLiteral("surface")}}}}}}});
      plan[QStringLiteral("nodes")] = nodes;
      plan.remove(QStringLiteral("paper"));
    });
    const Ran ran = run({"evaluate", ten, "--memory", "1"});
    QVERIFY2(ran.status == 1, qPrintable(ran.err));
    QVERIFY2(ran.err.contains(QStringLiteral("MB that the program may use are taken")), qPrintable(ran.err));

    const QString large = changedSlope(dir, [](QJsonObject& plan) {
      QJsonArray props = plan[QStringLiteral("props")].toArray();
      QJsonObject prop = props[0].toObject();
      prop[QStringLiteral("unit_scale")] = 100;
      props[0] = prop;
      plan[QStringLiteral("props")] = props;
    });
    const Ran asked = run({"evaluate", large, "--quality", "draft"});
    QVERIFY2(asked.status == 1 && asked.err.contains(QStringLiteral("left out until you say what is meant")),
             qPrintable(asked.err));
    const QString meant = changedSlope(dir, [](QJsonObject& plan) {
      QJsonArray props = plan[QStringLiteral("props")].toArray();
      QJsonObject prop = props[0].toObject();
      prop[QStringLiteral("unit_scale")] = 100;
      prop[QStringLiteral("large")] = true;
      props[0] = prop;
      plan[QStringLiteral("props")] = props;
    });
    const Ran taken = run({"evaluate", meant, "--quality", "draft"});
    QVERIFY2(taken.status == 0, qPrintable(taken.err));
  }

  // A full disk behind the output, or a reader that left, is an error and not a crash.
  void outputThatGoesNowhereIsAnError() {
    const QString evaluate = QStringLiteral("%1 evaluate '") + slope() + QStringLiteral("' --quality draft --quiet ");
    QCOMPARE(statusInShell(evaluate + QStringLiteral(">/dev/null")), 0);
    QCOMPARE(statusInShell(evaluate + QStringLiteral(">/dev/full")), 1);
    QCOMPARE(statusInShell(evaluate + QStringLiteral(">&-")), 1);
    QTemporaryDir dir;
    const QString status = dir.filePath(QStringLiteral("status"));
    statusInShell(QStringLiteral("{ %1 nodes; echo $? >'") + status + QStringLiteral("'; } | true"));
    QFile file(status);
    QVERIFY(file.open(QIODevice::ReadOnly));
    QVERIFY2(file.readAll().trimmed() != "141", "killed by the broken pipe");
  }
};

QTEST_GUILESS_MAIN(TestCli)
#include "tst_cli.moc"
