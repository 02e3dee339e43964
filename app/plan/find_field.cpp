#include "app/plan/find_field.h"

#include "app/model/pictures.h"
#include "app/model/words.h"
#include "app/window/theme.h"
#include "core/deliver/manual.h"
#include "core/deliver/tool_picture.h"

#include <QCoreApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QRegularExpression>
#include <QVBoxLayout>

#include <fmt/ranges.h>

namespace arvesk {

namespace {

QStringList wordsOf(const QString& text) {
  static const QRegularExpression between(QStringLiteral("\\W+"), QRegularExpression::UseUnicodePropertiesOption);
  return text.toLower().split(between, Qt::SkipEmptyParts);
}

/// Begins with it, or is what it was made from: "over" and "overlaps" both mean "overlap".
bool means(const QString& asked, const QString& word) {
  return word.startsWith(asked) || (word.size() >= 4 && asked.startsWith(word) && asked.size() <= word.size() + 2);
}

bool anyMeans(const QString& asked, const QStringList& words) {
  return std::any_of(words.begin(), words.end(), [&](const QString& word) { return means(asked, word); });
}

constexpr int kByName = 12;
constexpr int kBySynonym = 8;
constexpr int kByStage = 3;
constexpr int kByHelp = 1;
constexpr int kExact = 5;   // the very word: above a name that only begins so
constexpr int kGoesOn = 5;  // takes what the selected card gives

constexpr QSize kPicture(132, 76);
constexpr int kSamples = 4;  // a look, not a picture to keep
constexpr int kTimes = 3;    // pictures are drawn larger: points in them have a size on screen

/// How well a kind of node answers what is asked for.
struct Fit {
  qsizetype words = 0;  // of those asked for, how many it knows
  int weight = 0;       // and where from: its name says more than its help
  auto operator<=>(const Fit&) const = default;
};

Fit fitOf(const NodeKind& kind, const QStringList& asked) {
  const QString label = said(kind.label);
  QStringList name = wordsOf(label);
  QStringList particles;  // "up" is asked for by those who want things upright, not for all that is called so
  for (qsizetype i = name.size() - 1; i > 0; --i)
    if (name[i].size() <= 2) particles += name.takeAt(i);
  QStringList synonyms;
  for (const std::string& s : kind.synonyms) synonyms += wordsOf(text(s));
  synonyms += wordsOf(
      said(fmt::format("{}", fmt::join(kind.synonyms, ", "))));  // English ones are understood in every language
  const QStringList stage = wordsOf(said(familyLabel(kind.family)));
  const QStringList help = wordsOf(said(kind.help));
  Fit fit;
  if (!asked.isEmpty() && !name.isEmpty() && name.front().startsWith(asked.front())) fit.weight += 2;
  for (const QString& word : asked) {
    const int weight = anyMeans(word, name)                   ? kByName
                       : anyMeans(word, synonyms + particles) ? kBySynonym
                       : anyMeans(word, stage)                ? kByStage
                       : anyMeans(word, help)                 ? kByHelp
                                                              : 0;
    fit.words += weight > 0 ? 1 : 0;
    fit.weight += weight + (weight >= kBySynonym && (name + synonyms).contains(word) ? kExact : 0);
  }
  return fit;
}

}  // namespace

FindField::FindField(QWidget* parent) : PopupList(parent), m_help(new QLabel(this)), m_picture(new QLabel(this)) {
  setObjectName(QStringLiteral("find_field"));
  m_line->setObjectName(QStringLiteral("find_line"));
  m_line->setPlaceholderText(tr("Add a node: name or what it does"));
  m_line->setAccessibleName(tr("Find a node to add"));
  m_list->setObjectName(QStringLiteral("find_list"));
  m_list->setUniformItemSizes(false);
  m_help->setObjectName(QStringLiteral("find_help"));
  m_help->setWordWrap(true);
  m_help->setProperty("role", QStringLiteral("quiet"));
  m_help->setAlignment(Qt::AlignTop);
  m_picture->setObjectName(QStringLiteral("find_picture"));
  m_picture->setFixedSize(kPicture);
  auto* below = new QHBoxLayout;
  below->setSpacing(10);
  below->addWidget(m_picture, 0, Qt::AlignTop);
  below->addWidget(m_help, 1);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(8, 8, 8, 8);
  column->setSpacing(6);
  column->addWidget(m_line);
  column->addWidget(m_list, 1);
  column->addLayout(below);
  connect(m_list, &QListWidget::currentRowChanged, this, &FindField::showCurrent);
}

void FindField::showCurrent() {
  const NodeKind* kind = kindAt(m_list->currentItem());
  QString help = kind ? said(kind->help).section(QStringLiteral(". "), 0, 0) : QString();
  if (!help.isEmpty() && !help.endsWith(QLatin1Char('.'))) help += QLatin1Char('.');
  m_help->setText(help);
  const auto made = m_pictures.find(kind);
  m_picture->setPixmap(made == m_pictures.end() ? QPixmap() : made->second.picture);
  m_picture->hide();
  if (kind) drawPicture(kind);
}

/// What it does, as in the manual; of a tool of a library, its file at work.
void FindField::drawPicture(const NodeKind* kind) {
  std::shared_ptr<const NodeKind> held;
  LibraryToolPtr tool;
  for (const Own& own : m_held)
    if (own.kind.get() == kind) {
      held = own.kind;
      tool = own.tool;
    }
  if (kind->family == Family::SubPlan && !tool) return;  // what stands in the plan can be seen there
  m_picture->show();
  if (m_pictures.contains(kind)) return;
  const QSize size = kPicture * devicePixelRatioF();
  const QSize drawn = size * kTimes;
  m_drawer.ask([this, kind, held, tool, size, drawn](const Task& task) -> Worker::Answer {
    QImage image = tool ? QImage(pictureBeside(text(tool->file))) : QImage();
    if (image.isNull()) {
      Array<std::uint32_t> pixels;
      if (!tool)
        pixels = manualPicture(*kind, drawn.width(), drawn.height(), task);
      else if (auto made = toolPicture(*tool, {}, drawn.width(), drawn.height(), kSamples, task))
        pixels = std::move(*made);
      if (task.isCancelled()) return {};
      if (!pixels.empty())
        image = QImage(reinterpret_cast<const uchar*>(pixels.data()), drawn.width(), drawn.height(),
                       QImage::Format_RGB32)
                    .copy();
    }
    if (!image.isNull()) image = filling(image, size);
    return [this, kind, held, image] {
      QPixmap picture = QPixmap::fromImage(image);
      picture.setDevicePixelRatio(devicePixelRatioF());
      m_pictures[kind] = {held, picture};
      if (kindAt(m_list->currentItem()) == kind) m_picture->setPixmap(picture);
    };
  });
}

const NodeKind* FindField::kindAt(const QListWidgetItem* item) const {
  const QVariant at = item ? item->data(Qt::UserRole + 1) : QVariant();
  return at.isValid() ? m_shown[static_cast<std::size_t>(at.toInt())] : nullptr;
}

void FindField::open(const QPoint& at, std::function<bool(const NodeKind&)> fits,
                     std::function<void(const NodeKind&)> chosen, std::function<bool(const NodeKind&)> goesOn) {
  m_fits = std::move(fits);
  m_goesOn = std::move(goesOn);
  m_chosen = std::move(chosen);
  openAt(at, QSize(380, 430));
}

void FindField::fill() {
  m_list->clear();
  const QStringList asked = wordsOf(m_line->text());
  std::vector<std::pair<const NodeKind*, Fit>> found;
  Fit best;
  m_held = m_own();
  m_shown.clear();
  std::vector<const NodeKind*> all;
  for (const NodeKind* kind : allNodeKinds())
    if (kind->family != Family::SubPlan || m_isInside()) all.push_back(kind);
  std::map<const NodeKind*, QString> categories;
  for (const Own& own : m_held) {
    all.push_back(own.kind.get());
    categories[own.kind.get()] = text(own.category);
  }
  for (const NodeKind* kind : all) {
    if (m_fits && !m_fits(*kind)) continue;
    Fit fit = fitOf(*kind, asked);
    if (fit.words > 0 && m_goesOn && m_goesOn(*kind)) fit.weight += kGoesOn;
    found.push_back({kind, fit});
    best = std::max(best, fit);
  }
  const bool isExact = best.words == asked.size();
  // Where nothing fits all of it, what came near.
  if (!isExact)
    head(best.words > 0 ? tr("Nothing fits all of it; near it:")
                        : tr("Nothing fits “%1”").arg(fontMetrics().elidedText(m_line->text(), Qt::ElideRight, 200)));
  QString before;
  int row = -1;
  Fit chosen;
  // What only their help speaks of is left away where names or synonyms are meant.
  const int least = best.weight >= kByStage * static_cast<int>(best.words) ? kByStage * static_cast<int>(best.words)
                                                                           : 1;
  for (const auto& [kind, fit] : found) {
    if (!asked.isEmpty() && (fit.words < best.words || fit.words == 0 || fit.weight < least)) continue;
    const QString category = categories[kind];
    const QString heading = category.isEmpty() ? said(familyLabel(kind->family))
                                               : tr("%1 · %2").arg(said(familyLabel(kind->family)), category);
    if (before != heading) head(heading);
    before = heading;
    auto* item = new QListWidgetItem(
        QIcon(glyph(QString::fromStdString(kind->glyph), Theme::current().ink, 16, devicePixelRatioF())),
        said(kind->label), m_list);
    item->setData(Qt::UserRole, QString::fromStdString(kind->id));
    item->setData(Qt::UserRole + 1, static_cast<int>(m_shown.size()));
    m_shown.push_back(kind);
    if (row >= 0 && fit <= chosen) continue;
    row = m_list->row(item);
    chosen = fit;
  }
  m_list->setCurrentRow(row);
}

void FindField::head(const QString& words) {
  auto* item = new QListWidgetItem(words, m_list);
  item->setFlags(Qt::NoItemFlags);
  item->setForeground(Theme::current().quiet);
  QFont f = font();
  f.setPixelSize(11);
  item->setFont(f);
}

void FindField::choose() {
  const QListWidgetItem* item = m_list->currentItem();
  const NodeKind* kind = kindAt(item);
  if (!kind) return;
  leave();
  if (m_chosen) m_around(*kind, m_chosen);
}

}  // namespace arvesk
