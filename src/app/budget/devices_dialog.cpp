#include "app/budget/devices_dialog.h"

#include "app/budget/machine_probe.h"
#include "app/look/look.h"
#include "io/import/frame_times.h"
#include "io/project/device_file.h"

#include <QDialogButtonBox>
#include <QFileDialog>
#include <QGridLayout>
#include <QKeyEvent>
#include <QPainter>
#include <QPointer>
#include <QPushButton>
#include <algorithm>
#include <cmath>

namespace thicket::app {

DevicesDialog::DevicesDialog(Workbench& bench, QWidget* parent)
    : QDialog(parent), m_bench(bench), m_devices(bench.session.scene().settings.devices) {
    setWindowTitle(tr("Devices"));
    setObjectName(QStringLiteral("devices"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(20, 16, 20, 16);
    column->setSpacing(12);
    auto* sides = new QHBoxLayout;
    sides->setSpacing(18);
    auto* left = new QVBoxLayout;
    m_list = new QListWidget;
    m_list->setAccessibleName(tr("Devices"));
    m_list->setFixedWidth(180);
    left->addWidget(m_list, 1);
    auto* listButtons = new QHBoxLayout;
    QPushButton* copy = makeButton(tr("Copy"), tr("Another device with these figures"));
    copy->setObjectName(QStringLiteral("copyDevice"));
    m_remove = makeButton(tr("Remove"), tr("Remove this device from the project"));
    m_remove->setObjectName(QStringLiteral("removeDevice"));
    listButtons->addWidget(copy);
    listButtons->addWidget(m_remove);
    left->addLayout(listButtons);
    sides->addLayout(left);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(12);
    grid->setVerticalSpacing(6);
    m_name = new QLineEdit;
    m_name->setObjectName(QStringLiteral("deviceName"));
    grid->addWidget(makeLabel(tr("Name")), 0, 0);
    grid->addWidget(m_name, 0, 1, 1, 3);
    grid->addWidget(makeLabel(tr("What a frame may have"), "title"), 1, 0, 1, 2);
    int row = 2;
    int side = 0;
    const auto add = [&](const QString& name, const QString& tip, NumberBox* box, auto member) {
        addFigure(
            grid, row++, side, name, tip, box, [member](const Device& d) { return static_cast<double>(d.*member); },
            [member](Device& d, double v) {
                using Value = std::remove_reference_t<decltype(d.*member)>;
                d.*member = static_cast<Value>(v);
            });
    };
    add(tr("Time"), tr("Milliseconds that a frame may take"), new NumberBox(0.01, 10000, 2, tr(" ms")),
        &Device::frameMs);
    add(tr("Frames"), tr("How many frames a second the route is walked with"),
        new NumberBox(1, 1000, 1, tr(" a second")), &Device::frameRate);
    add(tr("Triangles"), tr("Triangles that a frame may have"), new NumberBox(1, 1e12, 0, {}), &Device::triangleBudget);
    add(tr("Draws"), tr("Draws that a frame may have"), new NumberBox(1, 1e12, 0, {}), &Device::drawBudget);
    add(tr("Memory"), tr("Millions of bytes for vertices, indices and pictures; 0: no limit"),
        new NumberBox(0, 1e9, 1, tr(" MB")), &Device::memoryMb);
    add(tr("Loaded ahead"),
        tr("Levels are in memory so long before and after they show; 0: all levels are there, always"),
        new NumberBox(0, 1e6, 2, tr(" s")), &Device::aheadSeconds);
    const int below = row;
    row = 2;
    side = 2;
    grid->addWidget(makeLabel(tr("What things cost"), "title"), 1, 2, 1, 2);
    add(tr("A triangle"), tr("Nanoseconds"), new NumberBox(0, 1e6, 3, tr(" ns")), &Device::nsPerTriangle);
    add(tr("A vertex"), tr("Nanoseconds"), new NumberBox(0, 1e6, 3, tr(" ns")), &Device::nsPerVertex);
    add(tr("A draw"), tr("Microseconds"), new NumberBox(0, 1e6, 3, tr(" µs")), &Device::usPerDraw);
    add(tr("A pixel"), tr("Nanoseconds for each time that a pixel is covered"), new NumberBox(0, 1e6, 3, tr(" ns")),
        &Device::nsPerPixel);
    add(tr("Overdraw"), tr("How many times a covered pixel is drawn, in the mean"), new NumberBox(0, 1000, 2, tr(" ×")),
        &Device::overdraw);
    add(tr("Every frame"), tr("Milliseconds that are gone before anything is drawn"),
        new NumberBox(0, 10000, 2, tr(" ms")), &Device::baseMs);
    row = std::max(row, below);
    grid->addWidget(makeLabel(tr("On this machine"), "title"), row++, 0, 1, 2);
    side = 0;
    add(tr("Detail"), tr("Every switch comes in so many times as far"), new NumberBox(0.1, 10, 2, tr(" ×")),
        &Device::detail);
    --row; // beside it
    side = 2;
    add(tr("Tier"), tr("The level that emitters show on it which go by the device"), new NumberBox(0, 7, 0, {}),
        &Device::tier);
    m_source = new QLineEdit;
    m_source->setToolTip(tr("Where the figures come from"));
    grid->addWidget(makeLabel(tr("Figures from")), row, 0);
    grid->addWidget(m_source, row, 1, 1, 3);
    sides->addLayout(grid);
    column->addLayout(sides);
    m_residuals = new ResidualView;
    m_residuals->hide();
    column->addWidget(m_residuals);
    m_said = makeLabel({}, "small");
    m_said->setWordWrap(true);
    column->addWidget(m_said);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
    buttons->button(QDialogButtonBox::Ok)->setText(tr("Keep"));
    buttons->button(QDialogButtonBox::Ok)->setProperty("primary", true);
    for (const auto which : {QDialogButtonBox::Ok, QDialogButtonBox::Cancel})
        buttons->button(which)->setIcon({});
    QPushButton* in = buttons->addButton(tr("Bring in…"), QDialogButtonBox::ResetRole);
    in->setToolTip(tr("Add the devices of a file"));
    QPushButton* out = buttons->addButton(tr("Take out…"), QDialogButtonBox::ResetRole);
    out->setToolTip(tr("Write all of these to a file for other projects"));
    m_measure = buttons->addButton(tr("Measure this machine"), QDialogButtonBox::ResetRole);
    m_measure->setObjectName(QStringLiteral("measureMachine"));
    m_measure->setToolTip(
        tr("Draw known loads out of sight and fit the chosen device's figures to how long they take"));
    QPushButton* fit = buttons->addButton(tr("Fit to times…"), QDialogButtonBox::ResetRole);
    fit->setToolTip(
        tr("Fit the chosen device's figures to a table of frame times: triangles, vertices, draws, pixels, ms"));
    column->addWidget(buttons);
    m_idle = {m_list, copy, m_remove, in, fit, m_measure, buttons->button(QDialogButtonBox::Ok)};
    connect(m_measure, &QPushButton::clicked, this, &DevicesDialog::measureMachine);
    connect(fit, &QPushButton::clicked, this, [this] {
        const QString path =
            QFileDialog::getOpenFileName(this, tr("Fit to frame times"), {}, tr("Tables (*.csv *.tsv *.txt)"));
        if (!path.isEmpty())
            fitTo(path);
    });
    const QString kind = tr("Devices (*%1)").arg(QString::fromLatin1(kDevicesSuffix));
    connect(in, &QPushButton::clicked, this, [this, kind] {
        const QString path = QFileDialog::getOpenFileName(this, tr("Bring in devices"), {}, kind);
        if (!path.isEmpty())
            bringIn(path);
    });
    connect(out, &QPushButton::clicked, this, [this, kind] {
        const QString path = QFileDialog::getSaveFileName(
            this, tr("Take out devices"), QStringLiteral("devices") + QString::fromLatin1(kDevicesSuffix), kind);
        if (path.isEmpty())
            return;
        const auto done = writeDevices(m_devices, path.toStdString());
        m_said->setText(done ? tr("Written to %1").arg(path) : QString::fromStdString(done.error().text()));
    });
    connect(copy, &QPushButton::clicked, this, [this] {
        Device made = chosen() != nullptr ? *chosen() : Device();
        made.name = made.name.empty() ? tr("Machine").toStdString()
                                      : tr("%1, another").arg(QString::fromStdString(made.name)).toStdString();
        made.fitted.clear();
        m_devices.push_back(made);
        fillList();
        m_list->setCurrentRow(m_list->count() - 1);
        m_name->setFocus();
        m_name->selectAll();
    });
    connect(m_remove, &QPushButton::clicked, this, [this] {
        const int at = m_list->currentRow();
        if (at < 0 || m_devices.size() < 2)
            return;
        m_devices.erase(m_devices.begin() + at);
        fillList();
        m_list->setCurrentRow(std::min(at, m_list->count() - 1));
    });
    connect(m_list, &QListWidget::currentRowChanged, this, &DevicesDialog::showChosen);
    connect(m_name, &QLineEdit::textEdited, this, [this](const QString& text) {
        if (Device* d = chosen()) {
            d->name = text.toStdString();
            m_list->currentItem()->setText(text);
        }
    });
    connect(m_source, &QLineEdit::textEdited, this, [this](const QString& text) {
        if (Device* d = chosen())
            d->source = text.toStdString();
    });
    connect(buttons, &QDialogButtonBox::accepted, this, &DevicesDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &DevicesDialog::reject);
    fillList();
    m_list->setCurrentRow(std::min(static_cast<int>(bench.session.scene().settings.device), m_list->count() - 1));
}

void DevicesDialog::addFigure(QGridLayout* grid, int row, int column, const QString& name, const QString& tip,
                              NumberBox* box, std::function<double(const Device&)> get,
                              std::function<void(Device&, double)> set) {
    box->setAccessibleName(name);
    box->setToolTip(tip);
    box->setFixedWidth(130);
    grid->addWidget(makeLabel(name), row, column);
    grid->addWidget(box, row, column + 1);
    connect(box, &NumberBox::chosen, this, [this, set](double v) {
        if (Device* d = chosen())
            set(*d, v);
    });
    m_figures.push_back({box, std::move(get), std::move(set)});
}

Device* DevicesDialog::chosen() {
    const int at = m_list->currentRow();
    return at >= 0 && at < static_cast<int>(m_devices.size()) ? &m_devices[static_cast<std::size_t>(at)] : nullptr;
}

void DevicesDialog::fillList() {
    const QSignalBlocker quiet(m_list);
    m_list->clear();
    for (const Device& d : m_devices)
        m_list->addItem(QString::fromStdString(d.name));
}

void DevicesDialog::showChosen() {
    const Device* d = chosen();
    m_remove->setEnabled(m_devices.size() > 1);
    if (d == nullptr)
        return;
    m_name->setText(QString::fromStdString(d->name));
    m_source->setText(QString::fromStdString(d->source));
    for (const Figure& figure : m_figures)
        figure.box->show(figure.get(*d));
}

void DevicesDialog::bringIn(const QString& path) {
    auto read = readDevices(path.toStdString());
    if (!read) {
        m_said->setText(QString::fromStdString(read.error().text()));
        return;
    }
    m_said->setText(tr("%1 devices were added").arg(read->size()));
    m_devices.insert(m_devices.end(), read->begin(), read->end());
    fillList();
    m_list->setCurrentRow(m_list->count() - 1);
}

void DevicesDialog::take(const MeasuredFigures& measured) {
    Device* d = chosen();
    if (d == nullptr)
        return;
    measured.found.into(*d);
    d->source = tr("measured: %1").arg(measured.from).toStdString();
    showChosen();
    QString text = tr("Fitted to %1 times: off by %2 ms (rms), %3 ms at the most.")
                       .arg(measured.rows.size())
                       .arg(measured.found.rms, 0, 'g', 2)
                       .arg(measured.found.worst, 0, 'g', 2);
    for (const std::string& what : measured.found.undetermined)
        text += QStringLiteral("\n") + QString::fromStdString(what);
    if (!measured.note.isEmpty())
        text += QStringLiteral("\n") + measured.note;
    m_said->setText(text);
    m_residuals->show(measured.rows, measured.found);
}

/// While figures are worked out, the device that they are for stays chosen.
void DevicesDialog::setMeasuring(bool on) {
    m_measuring = on;
    for (QWidget* w : m_idle)
        w->setEnabled(!on);
    if (!on)
        m_remove->setEnabled(m_devices.size() > 1);
}

void DevicesDialog::measureBy(const QString& title, const QString& meanwhile,
                              std::function<Result<MeasuredFigures>(const JobContext&)> work) {
    if (m_measuring || chosen() == nullptr)
        return;
    setMeasuring(true);
    m_said->setText(meanwhile);
    m_bench.session.jobs().run(
        title,
        [dialog = QPointer<DevicesDialog>(this), work = std::move(work)](const JobContext& job) -> JobQueue::Finish {
            const auto made = std::make_shared<Result<MeasuredFigures>>(work(job));
            return [dialog, made] {
                if (!dialog)
                    return;
                dialog->setMeasuring(false);
                if (*made)
                    dialog->take(**made);
                else
                    dialog->m_said->setText(QString::fromStdString(made->error().text()));
            };
        });
}

void DevicesDialog::fitTo(const QString& path) {
    measureBy(tr("Fitting to %1").arg(path.section('/', -1)), tr("Fitting to %1 …").arg(path.section('/', -1)),
              [path](const JobContext&) -> Result<MeasuredFigures> {
                  const auto rows = readFrameTimes(path.toStdString());
                  if (!rows)
                      return rows.error();
                  auto found = calibrate(*rows);
                  if (!found) {
                      Error error = found.error();
                      error.where = path.toStdString();
                      return error;
                  }
                  return MeasuredFigures{
                      *rows, std::move(*found), tr("%1 frames of %2").arg(rows->size()).arg(path.section('/', -1)), {}};
              });
}

void DevicesDialog::measureMachine() {
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    const auto surface = std::make_shared<QOffscreenSurface>();
    surface->setFormat(format);
    surface->create(); // on this thread, as surfaces must be
    measureBy(tr("Measuring this machine"), tr("Drawing known loads …"),
              [surface](const JobContext& job) -> Result<MeasuredFigures> {
                  const auto times = timeMachine(*surface, job);
                  if (!times)
                      return times.error();
                  auto found = calibrate(times->rows);
                  if (!found)
                      return found.error();
                  return MeasuredFigures{times->rows, std::move(*found), times->renderer,
                                         times->software
                                             ? tr("This machine draws in software (%1): the figures are its "
                                                  "processor's, not a graphics card's.")
                                                   .arg(times->renderer)
                                             : QString()};
              });
}

ResidualView::ResidualView(QWidget* parent) : QWidget(parent) {
    setFixedHeight(130);
    setAccessibleName(tr("Measured against fitted times"));
}

void ResidualView::show(const std::vector<FrameTime>& rows, const Calibration& found) {
    m_dots.clear();
    for (std::size_t i = 0; i < rows.size(); ++i)
        m_dots.push_back({rows[i].ms, rows[i].ms + found.residuals[i], found.waitsForPixels[i] != 0});
    setVisible(true);
    update();
}

void ResidualView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Look& l = Look::now();
    double most = 1e-6;
    for (const Dot& d : m_dots)
        most = std::max({most, d.measured, d.predicted});
    const QRectF area = QRectF(rect()).adjusted(60, 6, -8, -24);
    const auto at = [&](double measured, double predicted) {
        return QPointF(area.left() + std::sqrt(measured / most) * area.width(),
                       area.bottom() - std::sqrt(std::max(0.0, predicted) / most) * area.height());
    };
    p.setPen(QPen(l.line, 1));
    p.drawRect(area);
    p.setPen(QPen(l.quiet, 1));
    p.drawLine(at(0, 0), at(most, most));
    p.setPen(Qt::NoPen);
    for (const Dot& d : m_dots) {
        p.setBrush(d.pixels ? l.accent : l.good);
        p.drawEllipse(at(d.measured, d.predicted), 3.5, 3.5);
    }
    p.setFont(Look::font(10.5));
    p.setPen(l.quiet);
    p.drawText(QRectF(0, area.top(), 54, 14), Qt::AlignRight, tr("fitted"));
    p.drawText(QRectF(area.left(), area.bottom() + 4, area.width(), 16), Qt::AlignLeft,
               tr("measured, to %1 ms").arg(most, 0, 'g', 3));
    p.setPen(l.good);
    p.drawText(QRectF(area.left(), area.bottom() + 4, area.width() - 120, 16), Qt::AlignRight,
               tr("waits for geometry"));
    p.setPen(l.accent);
    p.drawText(QRectF(area.left(), area.bottom() + 4, area.width(), 16), Qt::AlignRight, tr("waits for pixels"));
}

void DevicesDialog::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)
        return; // it takes a figure over, not the dialog
    QDialog::keyPressEvent(event);
}

void DevicesDialog::accept() {
    const auto unnamed =
        std::find_if(m_devices.begin(), m_devices.end(), [](const Device& d) { return d.name.empty(); });
    if (unnamed != m_devices.end()) {
        m_list->setCurrentRow(static_cast<int>(unnamed - m_devices.begin()));
        m_said->setText(tr("Each device needs a name."));
        m_name->setFocus();
        return;
    }
    m_bench.budget.setDevices(m_devices, static_cast<std::size_t>(std::max(0, m_list->currentRow())));
    QDialog::accept();
}

} // namespace thicket::app
