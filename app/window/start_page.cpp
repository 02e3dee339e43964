#include "app/window/start_page.h"

#include "app/model/pictures.h"
#include "app/window/settings.h"
#include "app/window/theme.h"

#include <QCoreApplication>
#include <QCryptographicHash>
#include <QDir>
#include <QFileInfo>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QResizeEvent>
#include <QSaveFile>
#include <QScrollArea>
#include <QStandardPaths>
#include <QToolButton>

namespace arvesk {
namespace {

constexpr QSize kShot{176, 110};  // px
constexpr int kGap = 14;          // px
constexpr int kMostRecent = 8;

/// The folder of demo and examples: beside the program where it is installed, or where it is built.
QString shippedFolder() {
  const QDir program(QCoreApplication::applicationDirPath());
  for (const char* way : {"../share/arvesk/demo", "../../../demo"})
    if (program.exists(QLatin1String(way))) return QDir::cleanPath(program.filePath(QLatin1String(way)));
  return {};
}

struct Shipped {
  const char* file;
  const char* name;
  const char* about;
};
const Shipped kShipped[] = {
    {"tern-cove/tern-cove", QT_TRANSLATE_NOOP("start", "Tern cove"),
     QT_TRANSLATE_NOOP("start", "The whole program: dunes, rocks, growth, mist")},
    {"examples/one-slope", QT_TRANSLATE_NOOP("start", "One slope"),
     QT_TRANSLATE_NOOP("start", "Six nodes from ground to props")},
    {"examples/where-and-why", QT_TRANSLATE_NOOP("start", "Where and why"),
     QT_TRANSLATE_NOOP("start", "Masks and what each step takes")},
    {"examples/patches", QT_TRANSLATE_NOOP("start", "Patches"),
     QT_TRANSLATE_NOOP("start", "Areas that grow beside each other")},
    {"examples/growth", QT_TRANSLATE_NOOP("start", "Growth"), QT_TRANSLATE_NOOP("start", "Props that grow on props")},
    {"examples/shed", QT_TRANSLATE_NOOP("start", "Boathouse"),
     QT_TRANSLATE_NOOP("start", "Shingles, boards and blocks in courses")},
    {"examples/gorse", QT_TRANSLATE_NOOP("start", "Gorse"), QT_TRANSLATE_NOOP("start", "Bodies filled with points")},
    {"examples/fog", QT_TRANSLATE_NOOP("start", "Fog"), QT_TRANSLATE_NOOP("start", "Mist made of points")},
};

QString keptPictureOf(const QString& plan) {
  const QByteArray name = QCryptographicHash::hash(plan.toUtf8(), QCryptographicHash::Sha1).toHex();
  return QStringLiteral("%1/pictures/%2.jpg")
      .arg(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation), QString::fromLatin1(name));
}

QString shippedPictureOf(const QString& plan) {
  return QStringLiteral("%1/pictures/%2.jpg").arg(shippedFolder(), QFileInfo(plan).completeBaseName());
}

QString pictureOf(const QString& plan) {
  const QString kept = keptPictureOf(plan);
  if (QFileInfo::exists(kept)) return kept;
  const QString shipped = shippedFolder();
  return !shipped.isEmpty() && plan.startsWith(shipped) ? shippedPictureOf(plan) : QString();
}

bool writePicture(const QString& path, const QImage& picture) {
  QDir().mkpath(QFileInfo(path).path());
  QSaveFile out(path);  // other windows may show it just now
  return out.open(QIODevice::WriteOnly) && filling(picture, kShot * 2).save(&out, "JPG", 88) && out.commit();
}

}  // namespace

StartPage::StartPage(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("start_page"));
  if (parent) parent->installEventFilter(this);
  auto* page = new QWidget;
  m_column = new QVBoxLayout(page);
  m_column->setContentsMargins(28, 22, 28, 22);
  m_column->setSpacing(8);
  auto* begin = new QHBoxLayout;
  begin->setSpacing(8);
  const auto button = [&](const QString& words, const QString& help, const char* name, void (StartPage::*wanted)()) {
    auto* b = new QPushButton(words);
    b->setObjectName(QLatin1String(name));
    b->setToolTip(help);
    connect(b, &QPushButton::clicked, this, wanted);
    begin->addWidget(b);
  };
  button(tr("From your ground…"), tr("A height image, or a mesh"), "start_ground", &StartPage::groundWanted);
  button(tr("From your layout…"), tr("Points of a table (.csv, .ply), or what stands in a scene (.glb, .gltf)"),
         "start_layout", &StartPage::layoutWanted);
  button(tr("Open a plan…"), tr("A plan that was saved (.arvesk)"), "start_open", &StartPage::openWanted);
  begin->addStretch(1);
  m_column->addLayout(begin);
  auto* keys = new QLabel(tr("or press Enter in the Plan to add the first node"));
  keys->setProperty("role", QStringLiteral("quiet"));
  m_column->addWidget(keys);
  m_recent = addShelf(tr("Lately"), "start_recent");
  m_examples = addShelf(tr("Demo and examples"), "start_examples");
  m_column->addStretch(1);
  auto* scroll = new QScrollArea(this);
  scroll->setWidgetResizable(true);
  scroll->setFrameShape(QFrame::NoFrame);
  scroll->setWidget(page);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(scroll);
  refresh();
}

StartPage::Shelf StartPage::addShelf(const QString& heading, const char* name) {
  Shelf shelf;
  shelf.heading = new QLabel(QStringLiteral("<b>%1</b>").arg(heading));
  shelf.heading->setObjectName(QLatin1String(name));
  shelf.heading->setContentsMargins(0, 12, 0, 0);
  shelf.grid = new QGridLayout;
  shelf.grid->setSpacing(kGap);
  m_column->addWidget(shelf.heading);
  m_column->addLayout(shelf.grid);
  return shelf;
}

QWidget* StartPage::tile(const QString& name, const QString& detail, const QString& plan, const char* objectName,
                         int number) {
  auto* b = new QToolButton;
  b->setObjectName(QStringLiteral("%1_%2").arg(QLatin1String(objectName)).arg(number));
  b->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
  b->setAutoRaise(true);
  b->setFocusPolicy(Qt::StrongFocus);
  b->setIconSize(kShot);
  b->setFixedSize(kShot.width() + 12, kShot.height() + 34);
  b->setText(fontMetrics().elidedText(name, Qt::ElideMiddle, kShot.width()));
  b->setToolTip(detail);
  b->setAccessibleName(name);
  b->setAccessibleDescription(detail);
  const qreal ratio = devicePixelRatioF();
  QPixmap picture(kShot * ratio);
  const QImage made(pictureOf(plan));
  if (made.isNull()) {
    picture.fill(Theme::current().bed);
    QPainter p(&picture);
    p.drawPixmap(QPointF(0.5 * picture.width() - 16 * ratio, 0.5 * picture.height() - 16 * ratio),
                 glyph(QStringLiteral("terrain"), Theme::current().quiet, 32, ratio));
  } else {
    picture = QPixmap::fromImage(filling(made, kShot * ratio));
  }
  picture.setDevicePixelRatio(ratio);
  b->setIcon(QIcon(picture));
  connect(b, &QToolButton::clicked, this, [this, plan] { Q_EMIT planWanted(plan); });
  return b;
}

void StartPage::refresh() {
  for (Shelf* shelf : {&m_recent, &m_examples}) {
    for (QWidget* w : shelf->tiles) delete w;
    shelf->tiles.clear();
  }
  for (const QString& path : Settings().recentFiles()) {
    if (static_cast<int>(m_recent.tiles.size()) == kMostRecent) break;
    if (!QFileInfo::exists(path)) continue;
    m_recent.tiles.push_back(tile(QFileInfo(path).completeBaseName(), QDir::toNativeSeparators(path), path,
                                  "start_recent", static_cast<int>(m_recent.tiles.size())));
  }
  m_recent.heading->setVisible(!m_recent.tiles.empty());
  const QStringList plans = shippedPlans();
  for (qsizetype i = 0; i < plans.size(); ++i) {
    const Shipped& shipped = kShipped[i];
    const QString& path = plans[i];
    if (!QFileInfo::exists(path)) continue;
    m_examples.tiles.push_back(tile(QCoreApplication::translate("start", shipped.name),
                                    QCoreApplication::translate("start", shipped.about), path, "start_example",
                                    static_cast<int>(m_examples.tiles.size())));
  }
  m_examples.heading->setVisible(!m_examples.tiles.empty());
  m_across = 0;
  arrange();
}

/// As many beside each other as there is room for.
void StartPage::arrange() {
  const int across = std::max(1, (width() - 56 + kGap) / (kShot.width() + 12 + kGap));
  if (across == m_across) return;
  m_across = across;
  for (const Shelf* shelf : {&m_recent, &m_examples}) {
    for (int i = 0; i < static_cast<int>(shelf->tiles.size()); ++i)
      shelf->grid->addWidget(shelf->tiles[static_cast<std::size_t>(i)], i / across, i % across,
                             Qt::AlignLeft | Qt::AlignTop);
    shelf->grid->setColumnStretch(across, 1);
    for (int c = 0; c < 16; ++c)
      if (c != across) shelf->grid->setColumnStretch(c, 0);
  }
}

bool StartPage::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::Resize) setGeometry(parentWidget()->rect());
  return QWidget::eventFilter(watched, event);
}

void StartPage::paintEvent(QPaintEvent*) { QPainter(this).fillRect(rect(), Theme::current().paper); }

void StartPage::resizeEvent(QResizeEvent*) { arrange(); }

void StartPage::keepPicture(const QString& plan, const QImage& picture) {
  if (!plan.isEmpty() && !picture.isNull()) writePicture(keptPictureOf(plan), picture);
}

QStringList StartPage::shippedPlans() {
  QStringList plans;
  for (const Shipped& shipped : kShipped)
    plans << QStringLiteral("%1/%2.arvesk").arg(shippedFolder(), QLatin1String(shipped.file));
  return plans;
}

bool StartPage::shipPicture(const QString& plan, const QImage& picture) {
  return !picture.isNull() && writePicture(shippedPictureOf(plan), picture);
}

}  // namespace arvesk
