#include "app/window/theme.h"

#include <QFile>
#include <QFontDatabase>
#include <QPainter>
#include <QPalette>
#include <QPixmapCache>
#include <QStyleFactory>
#include <QSvgRenderer>

#include <cmath>

/// Resources of a static library must be asked for by name.
static void initResources() { Q_INIT_RESOURCE(resources); }

namespace arvesk {
namespace {

Theme g_theme = paperTheme();

QString styleSheet(const Theme& t) {
  QString css = QStringLiteral(R"(
    QMainWindow, QDialog, QMenuBar, QStatusBar { background: @paper; color: @ink; }
    QMainWindow::separator { background: @rule; width: 2px; height: 2px; }
    QMenuBar { border-bottom: 1px solid @rule; padding: 2px 6px; }
    QMenuBar::item { padding: 5px 8px; background: transparent; border-radius: 4px; }
    QMenuBar::item:selected, QMenu::item:selected { background: @rule; color: @ink; }
    QMenu { background: @card; border: 1px solid @rule; padding: 4px; }
    QMenu::item { padding: 5px 28px 5px 12px; border-radius: 4px; }
    QMenu::item:disabled { color: @quiet; }
    QMenu::separator { height: 1px; background: @rule; margin: 4px 8px; }
    QStatusBar { border-top: 1px solid @rule; }
    QStatusBar::item { border: none; }
    QLineEdit, QComboBox, QAbstractSpinBox, QPlainTextEdit, QListWidget, QTreeView { background: @card; color: @ink; border: 1px solid @rule; border-radius: 4px; padding: 3px 6px; selection-background-color: @accent; selection-color: @card; }
    QLineEdit:focus, QComboBox:focus, QListWidget:focus { border: 1px solid @accent; }
    QLineEdit[fault="true"] { border: 1px solid @trouble; }
    QComboBox { padding: 3px 0 3px 6px; }
    QComboBox::drop-down { border: none; width: 18px; }
    QComboBox::down-arrow { image: url(:/glyphs/open@night.svg); width: 9px; height: 9px; }
    QComboBox QAbstractItemView { background: @card; color: @ink; border: 1px solid @rule; selection-background-color: @rule; selection-color: @ink; }
    QPushButton { background: @card; color: @ink; border: 1px solid @rule; border-radius: 4px; padding: 4px 12px; }
    QPushButton:hover { border-color: @quiet; }
    QPushButton:focus { border-color: @accent; }
    QPushButton:disabled { color: @quiet; }
    QPushButton[flat="true"], QToolButton { background: transparent; border: none; color: @accent; padding: 2px 4px; }
    QToolButton:focus { border: 1px solid @accent; border-radius: 4px; }
    QPushButton#quality { min-width: 42px; padding: 3px 8px; border-radius: 4px; }
    QPushButton#quality:checked { background: @ink; color: @card; border-color: @ink; font-weight: 600; }
    QToolButton[role="tab"] { color: @quiet; padding: 6px 2px 5px 2px; margin: 0 5px; border-bottom: 2px solid transparent; border-radius: 0; }
    QToolButton[role="tab"]:checked { color: @ink; font-weight: 600; border-bottom: 2px solid @accent; }
    QToolButton[role="mode"] { color: @quiet; padding: 3px 6px; }
    QToolButton[role="mode"]:checked { color: @ink; font-weight: 600; }
    QToolButton[role="choice"] { color: @ink; padding: 2px 7px; border-radius: 2px; }
    QToolButton[role="choice"]:hover { background: @rule; }
    QToolButton[role="choice"]:checked { background: @ink; color: @card; font-weight: 600; }
    QToolButton[role="pill"] { background: @card; color: @ink; border: 1px solid @rule; border-radius: 4px; padding: 4px 10px; }
    QToolButton[role="chip"] { background: @card; color: @ink; border: 1px solid @rule; border-radius: 3px; padding: 1px 6px; }
    QToolButton[role="chip"]:hover { border-color: @accent; }
    QToolButton[role="fold"] { color: @ink; font-weight: 600; padding: 2px 4px 2px 0; border: none; background: transparent; }
    QToolButton[role="fold"]:hover { color: @accent; }
    QToolButton[role="ask"] { color: @quiet; padding: 0 2px; border-radius: 6px; font-size: 10px; }
    QToolButton[role="ask"]:hover { background: @rule; color: @ink; }
    QFrame[role="float"] { background: @card; border-radius: 4px; }
    QFrame#find_field, QFrame#pick_list { background: @paper; border: 1px solid @quiet; border-radius: 4px; }
    QWidget[role="offer"] { background: @card; border-bottom: 2px solid @rule; }
    QWidget[role="drop"] { background: @card; border-bottom: 2px solid @accent; }
    QWidget[role="head"] { background: @paper; border-bottom: 1px solid @rule; }
    QLabel { color: @ink; background: transparent; }
    QLabel[role="quiet"] { color: @quiet; }
    QLabel[role="trouble"] { color: @trouble; }
    QLabel[role="warning"] { color: @warning; }
    QLabel[role="section"] { font-weight: 600; }
    QCheckBox { color: @ink; }
    QCheckBox::indicator, QListView::indicator, QTreeView::indicator { width: 14px; height: 14px; border: 1px solid @quiet; border-radius: 3px; background: @card; }
    QCheckBox::indicator:checked, QListView::indicator:checked, QTreeView::indicator:checked { background: @ink; border-color: @ink; image: url(:/glyphs/check@night.svg); }
    QCheckBox:focus { color: @accent; }
    QCheckBox:disabled { color: @quiet; }
    QCheckBox::indicator:disabled { background: @paper; border-color: @rule; image: none; }
    QScrollArea, QGraphicsView { border: none; background: @paper; }
    QScrollArea > QWidget > QWidget { background: @paper; }
    QAbstractScrollArea::corner { background: @paper; border: none; }
    QScrollBar:vertical { background: transparent; width: 10px; }
    QScrollBar:horizontal { background: transparent; height: 10px; }
    QScrollBar::handle { background: @rule; border-radius: 4px; margin: 1px; min-height: 24px; min-width: 24px; }
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page { background: none; border: none; width: 0; height: 0; }
    QTableView { background: @card; alternate-background-color: @paper; selection-background-color: @accent; selection-color: @card; font-size: 12px; border: none; border-top: 1px solid @rule; }
    QHeaderView { background: @paper; border: none; }
    QHeaderView::section { background: @paper; color: @quiet; border: none; border-bottom: 1px solid @rule; padding: 3px 6px; font-size: 11px; }
    QProgressBar { background: transparent; border: 1px solid @rule; border-radius: 2px; max-height: 8px; }
    QProgressBar::chunk { background: @ink; }
    QToolTip { background: @card; color: @ink; border: 1px solid @rule; padding: 4px; }
  )");
  const std::initializer_list<std::pair<const char*, QColor>> names{
      {"@paper", t.paper}, {"@card", t.card},     {"@ink", t.ink},         {"@quiet", t.quiet},
      {"@rule", t.rule},   {"@accent", t.accent}, {"@trouble", t.trouble}, {"@warning", t.warning}};
  for (const auto& [name, color] : names) css.replace(QLatin1String(name), color.name());
  css.replace(QLatin1String("@night"), t.isNight ? QLatin1String("-night") : QLatin1String(""));
  return css;
}

}  // namespace

Theme paperTheme() {
  Theme t;
  t.paper = QColor(0xF2, 0xEE, 0xE5);
  t.card = QColor(0xFC, 0xFB, 0xF8);
  t.ink = QColor(0x22, 0x30, 0x2F);
  t.quiet = QColor(0x55, 0x62, 0x5E);
  t.rule = QColor(0xD8, 0xD1, 0xC3);
  t.accent = QColor(0x1D, 0x5F, 0x7A);
  t.trouble = QColor(0xA9, 0x3A, 0x20);
  t.warning = QColor(0x76, 0x54, 0x10);
  t.hatch = QColor(0xC9, 0xBF, 0xA9);
  t.ribbon = QColor(0xCB, 0xCB, 0xC2);
  t.field = t.card;
  t.bed = QColor(0xEA, 0xE4, 0xD7);
  t.note = QColor(0xF7, 0xF1, 0xDC);
  return t;
}

Theme nightTheme() {
  Theme t;
  t.paper = QColor(0x1B, 0x25, 0x26);
  t.card = QColor(0x26, 0x32, 0x33);
  t.ink = QColor(0xEC, 0xE7, 0xDB);
  t.quiet = QColor(0xA9, 0xB3, 0xAE);
  t.rule = QColor(0x3E, 0x4B, 0x4B);
  t.accent = QColor(0x8A, 0xC3, 0xDC);
  t.trouble = QColor(0xF0, 0x9A, 0x7E);
  t.warning = QColor(0xDD, 0xB8, 0x66);
  t.hatch = QColor(0x5B, 0x66, 0x60);
  t.ribbon = QColor(0x4C, 0x5A, 0x59);
  t.field = t.card;
  t.bed = QColor(0x21, 0x2D, 0x2E);
  t.note = QColor(0x2E, 0x36, 0x30);
  t.isNight = true;
  return t;
}

const Theme& Theme::current() { return g_theme; }

void Theme::apply(QApplication& app, const QString& choice) {
  static const QPalette desktop = QApplication::palette();
  const bool isDark = desktop.color(QPalette::Window).lightness() < 128;
  g_theme = choice == QLatin1String("night") || (choice == QLatin1String("desktop") && isDark) ? nightTheme()
                                                                                               : paperTheme();
  static const bool hasFonts = [] {
    initResources();
    for (const char* file : {":/fonts/Inter-Regular.otf", ":/fonts/Inter-SemiBold.otf"})
      QFontDatabase::addApplicationFont(QString::fromLatin1(file));
    return true;
  }();
  (void)hasFonts;
  QFont font(QStringLiteral("Inter"));
  font.setPixelSize(13);
  app.setFont(font);
  app.setStyle(QStyleFactory::create(QStringLiteral("Fusion")));
  const Theme& t = g_theme;
  QPalette p;
  p.setColor(QPalette::Window, t.paper);
  p.setColor(QPalette::WindowText, t.ink);
  p.setColor(QPalette::Base, t.card);
  p.setColor(QPalette::AlternateBase, t.paper);
  p.setColor(QPalette::Text, t.ink);
  p.setColor(QPalette::Button, t.card);
  p.setColor(QPalette::ButtonText, t.ink);
  p.setColor(QPalette::Highlight, t.accent);
  p.setColor(QPalette::HighlightedText, t.card);
  p.setColor(QPalette::PlaceholderText, t.quiet);
  p.setColor(QPalette::Mid, t.rule);
  app.setPalette(p);
  app.setStyleSheet(styleSheet(t));
}

std::vector<std::pair<QColor, QColor>> Theme::textPairs() const {
  return {{ink, paper},     {ink, card},     {quiet, paper},   {quiet, card},   {accent, paper}, {accent, card},
          {trouble, paper}, {trouble, card}, {warning, paper}, {warning, card}, {card, ink},     {ink, rule},
          {card, accent},   {ink, bed},      {quiet, bed},     {ink, note}};
}

double contrastRatio(const QColor& a, const QColor& b) {
  const auto luminance = [](const QColor& c) {
    const auto linear = [](double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
    return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
  };
  const double la = luminance(a);
  const double lb = luminance(b);
  return (std::max(la, lb) + 0.05) / (std::min(la, lb) + 0.05);
}

QBrush hatchBrush(const QColor& color) {
  QPixmap tile(5, 5);
  tile.fill(Qt::transparent);
  QPainter painter(&tile);
  painter.setPen(color);
  for (int i = 0; i < 5; ++i) painter.drawPoint(i, 4 - i);
  painter.end();
  return QBrush(tile);
}

QPixmap glyph(const QString& name, const QColor& color, int size, qreal ratio) {
  const QString key = QStringLiteral("glyph %1 %2 %3 %4").arg(name, color.name()).arg(size).arg(ratio);
  QPixmap pixmap;
  if (QPixmapCache::find(key, &pixmap)) return pixmap;
  QFile file(QStringLiteral(":/glyphs/%1.svg").arg(name));
  QByteArray svg = file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
  svg.replace("currentColor", color.name().toLatin1());
  pixmap = QPixmap(static_cast<int>(size * ratio), static_cast<int>(size * ratio));
  pixmap.fill(Qt::transparent);
  QPainter painter(&pixmap);
  QSvgRenderer(svg).render(&painter);
  painter.end();
  pixmap.setDevicePixelRatio(ratio);
  QPixmapCache::insert(key, pixmap);
  return pixmap;
}

}  // namespace arvesk
