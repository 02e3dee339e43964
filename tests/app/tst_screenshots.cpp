// The committed pictures show what their captions say: checked by the colors that each must have and must not have.
#include "core/picture/render.h"
#include "tests/support/support.h"

#include <QDir>
#include <QFile>
#include <QImage>
#include <QRegularExpression>

using namespace arvesk;

namespace {

QImage picture(const char* name) {
  return QImage(test::sourcePath("docs/screenshots/") + QLatin1String(name) + QStringLiteral(".png"))
      .convertToFormat(QImage::Format_RGB32);
}
/// Where Site lies in the pictures of the whole window, without its bar of modes and its scale.
const QRect kSite(470, 84, 730, 320);

double share(const QImage& image, const QRect& where, const std::function<bool(QRgb)>& holds) {
  int count = 0;
  for (int y = where.top(); y <= where.bottom(); ++y)
    for (int x = where.left(); x <= where.right(); ++x) count += holds(image.pixel(x, y)) ? 1 : 0;
  return static_cast<double>(count) / (where.width() * where.height());
}
int apart(QRgb a, QRgb b) {
  return std::abs(qRed(a) - qRed(b)) + std::abs(qGreen(a) - qGreen(b)) + std::abs(qBlue(a) - qBlue(b));
}
double saturation(QRgb c) { return QColor(c).hsvSaturationF(); }

}  // namespace

class TestScreenshots : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// The README shows each picture that there is, and no other.
  void allAreShown() {
    QFile readme(test::sourcePath("README.md"));
    QVERIFY(readme.open(QIODevice::ReadOnly));
    const QString text = QString::fromUtf8(readme.readAll());
    QStringList shown;
    QRegularExpression link(QStringLiteral("docs/screenshots/([\\w-]+\\.png)"));
    for (auto it = link.globalMatch(text); it.hasNext();) shown << it.next().captured(1);
    shown.sort();
    QStringList there = QDir(test::sourcePath("docs/screenshots")).entryList({QStringLiteral("*.png")}, QDir::Files);
    there.sort();
    QCOMPARE(shown, there);
    QVERIFY(there.size() < 20);
  }

  void noneIsCoarseOrEmpty_data() {
    QTest::addColumn<QString>("name");
    for (const char* name : {"main", "overview", "points", "mask", "why", "ledger", "inside", "touching", "cut", "fog",
                             "time", "jetty", "schedule", "brush"})
      QTest::newRow(name) << QString::fromLatin1(name);
  }
  /// While it is coarse a picture is made of blocks of 4 × 4 pixels: within them neighbors are the same.
  void noneIsCoarseOrEmpty() {
    QFETCH(QString, name);
    const QImage image = picture(qPrintable(name));
    QCOMPARE(image.size(), QSize(1280, 800));
    const QRect lower(kSite.left(), kSite.center().y(), kSite.width(), kSite.height() / 2);
    int same = 0;
    int all = 0;
    for (int y = lower.top(); y < lower.bottom(); y += 2)
      for (int x = lower.left(); x < lower.right(); ++x, ++all)
        same += image.pixel(x, y) == image.pixel(x + 1, y) ? 1 : 0;
    QVERIFY2(same < 0.6 * all, qPrintable(QStringLiteral("%1 of %2 neighbors are the same").arg(same).arg(all)));
    QSet<QRgb> colors;
    for (int y = kSite.top(); y < kSite.bottom(); y += 3)
      for (int x = kSite.left(); x < kSite.right(); x += 3) colors.insert(image.pixel(x, y));
    QVERIFY(colors.size() > 300);
  }

  /// Discs are in ink, which nothing of the dressed cove is as much of.
  void pointsShowsPoints() {
    const auto isInk = [](QRgb c) { return apart(c, qRgb(0x22, 0x30, 0x2F)) < 40; };
    QVERIFY(share(picture("points"), kSite, isInk) > 2 * share(picture("main"), kSite, isInk) + 0.002);
  }

  /// The mask's colors lie on the ground, from one end of the scale to the other.
  void maskShowsTheMask() {
    const QImage image = picture("mask");
    for (const float value : {0.0F, 1.0F}) {
      const Vec3 c = scaleColor(value) * 255.0F;
      const QColor end(static_cast<int>(c.r), static_cast<int>(c.g), static_cast<int>(c.b));
      // Light and haze change how bright and clear it is, and little of its hue.
      const double found = share(image, kSite, [&](QRgb p) {
        const QColor q(p);
        const int hue = std::abs(q.hsvHue() - end.hsvHue());
        return saturation(p) > (value > 0.5F ? 0.08 : 0.25) && std::min(hue, 360 - hue) < 26;
      });
      QVERIFY2(found > 0.005, qPrintable(QStringLiteral("%1 of %2").arg(found).arg(value)));
    }
  }

  /// In the overview the plan's pane holds the titled blocks of all beds: their ground, and words in ink.
  void overviewShowsBlocks() {
    const QImage image = picture("overview");
    const QRect pane(4, 70, 430, 690);
    const auto isBed = [](QRgb c) { return apart(c, qRgb(0xE9, 0xE3, 0xD5)) < 8; };
    const auto isInk = [](QRgb c) { return qGray(c) < 80; };
    QVERIFY(share(image, pane, isBed) > 0.05);
    QVERIFY(share(image, pane, isInk) > 0.005);
    const auto isPictured = [](QRgb c) { return apart(c, qRgb(31, 66, 58)) < 60; };
    QVERIFY(share(image, pane, isPictured) > 0.003);
  }

  /// The brush's ring, and the outline of what it would set within it: thin lines of white.
  void brushShowsItsRing() {
    const auto isWhite = [](QRgb c) { return qGray(c) > 250; };
    const QImage image = picture("brush");
    const QRect beach(kSite.left(), kSite.center().y(), kSite.width(), kSite.height() / 2);
    const double found = share(image, beach, isWhite);
    QVERIFY2(found > 0.001 && found < 0.02, qPrintable(QString::number(found)));
  }

  /// Ticks in gold on what was touched, handles in blue about what is selected.
  void touchingShowsTicksAndHandles() {
    const QImage image = picture("touching");
    const auto isNear = [](const QColor& color) { return [color](QRgb c) { return apart(c, color.rgb()) < 30; }; };
    const double ticks = share(image, kSite, isNear(QColor(0xFC, 0xE9, 0x9A)));
    QVERIFY2(ticks > 0.0002 && ticks < 0.01, qPrintable(QString::number(ticks)));
    const QRect above(kSite.left(), kSite.top() + 40, kSite.width(), kSite.height() * 3 / 4);
    const double handles = share(image, above, isNear(QColor(0x1D, 0x5F, 0x7A)));
    QVERIFY2(handles > 0.0003 && handles < 0.02, qPrintable(QString::number(handles)));
  }

  /// A line divides before from now, from top to bottom.
  void compareShowsTwo() {
    const QImage image = picture("compare");
    int best = 0;
    for (int x = kSite.left(); x < kSite.right(); ++x) {
      int white = 0;
      for (int y = kSite.top(); y < kSite.bottom(); ++y) white += qGray(image.pixel(x, y)) > 245 ? 1 : 0;
      best = std::max(best, white);
    }
    QVERIFY(best > 0.9 * kSite.height());
  }
};

QTEST_GUILESS_MAIN(TestScreenshots)
#include "tst_screenshots.moc"
