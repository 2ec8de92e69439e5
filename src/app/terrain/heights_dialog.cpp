#include "app/terrain/heights_dialog.h"

#include "app/look/look.h"
#include "appmodel/text.h"
#include "io/import/heights_file.h"

#include <QDialogButtonBox>

namespace thicket::app {

HeightsDialog::HeightsDialog(const QString& path, QWidget* parent) : QDialog(parent), m_path(path) {
    setWindowTitle(tr("Heights of %1").arg(path.section('/', -1)));
    setMinimumWidth(420);
    auto* rows = new QVBoxLayout(this);
    m_facts = makeLabel({});
    m_facts->setWordWrap(true);
    rows->addWidget(m_facts);
    m_raw = new QWidget;
    auto* raw = new QVBoxLayout(m_raw);
    raw->setContentsMargins(0, 0, 0, 0);
    m_columns = new NumberBox(0, 1e6, 0, {});
    m_columns->setSpecialValueText(tr("square"));
    raw->addWidget(fieldRow(tr("Columns"), m_columns, tr("Heights in a row")));
    m_rows = new NumberBox(0, 1e6, 0, {});
    m_rows->setSpecialValueText(tr("as many as there are"));
    raw->addWidget(fieldRow(tr("Rows"), m_rows, tr("Rows of heights")));
    m_kind = new ChoiceBox;
    for (const auto& kind : kRawSamples)
        m_kind->addItem(QString::fromLatin1(kind.name));
    raw->addWidget(fieldRow(tr("Samples"), m_kind, tr("How a height is written")));
    m_big = new QCheckBox(tr("high byte first"));
    raw->addWidget(m_big);
    rows->addWidget(m_raw);
    m_spacing = new NumberBox(0.001, 1e5, 3, tr(" m"));
    m_spacing->show(1);
    m_spacing->setObjectName(QStringLiteral("heightSpacing"));
    rows->addWidget(fieldRow(tr("Spacing"), m_spacing, tr("Metres from one height to the next, both ways")));
    m_ranged = new QCheckBox(tr("the values stand for a range of heights"));
    m_ranged->setToolTip(tr("Unticked, a value is taken as metres as it stands"));
    rows->addWidget(m_ranged);
    m_low = new NumberBox(-1e5, 1e5, 2, tr(" m"));
    rows->addWidget(fieldRow(tr("Lowest value"), m_low, tr("Height of the value 0")));
    m_high = new NumberBox(-1e5, 1e5, 2, tr(" m"));
    m_high->show(100);
    rows->addWidget(fieldRow(tr("Highest value"), m_high, tr("Height of the largest value there can be")));
    auto* buttons = new QDialogButtonBox;
    m_add = buttons->addButton(tr("Add"), QDialogButtonBox::AcceptRole);
    buttons->addButton(tr("Cancel"), QDialogButtonBox::RejectRole);
    rows->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(m_ranged, &QCheckBox::toggled, this, &HeightsDialog::refresh);
    for (NumberBox* box : {m_columns, m_rows, m_low, m_high, m_spacing})
        connect(box, &QDoubleSpinBox::valueChanged, this, &HeightsDialog::refresh);
    connect(m_kind, &QComboBox::currentIndexChanged, this, &HeightsDialog::refresh);
    const std::pair<QWidget*, const char*> names[] = {
        {m_facts, "heightFacts"},  {m_columns, "heightColumns"}, {m_rows, "heightRows"},
        {m_kind, "heightSamples"}, {m_big, "heightBig"},         {m_ranged, "heightRanged"},
        {m_low, "heightLow"},      {m_high, "heightHigh"},       {m_add, "heightAdd"}};
    for (const auto& [widget, name] : names)
        widget->setObjectName(QString::fromLatin1(name));
    const auto info = inspectHeights(toPath(path), {});
    const QString ending = path.section('.', -1).toLower();
    m_raw->setVisible(ending == QStringLiteral("raw") || ending == QStringLiteral("r16") ||
                      ending == QStringLiteral("r32"));
    if (ending == QStringLiteral("r32"))
        m_kind->setCurrentIndex(static_cast<int>(RawSamples::Float32));
    if (info && info->spacing)
        m_spacing->show(*info->spacing);
    m_ranged->setChecked(info && info->whole);
    refresh();
}

HeightOptions HeightsDialog::options() const {
    HeightOptions out;
    out.spacing = m_spacing->value();
    if (m_ranged->isChecked()) {
        out.low = m_low->value();
        out.high = m_high->value();
    }
    if (m_raw->isVisibleTo(this)) {
        out.columns = static_cast<std::uint32_t>(m_columns->value());
        out.rows = static_cast<std::uint32_t>(m_rows->value());
        out.samples = static_cast<RawSamples>(m_kind->currentIndex());
        out.bigEndian = m_big->isChecked();
    }
    return out;
}

void HeightsDialog::refresh() {
    const HeightOptions now = options();
    const auto info = inspectHeights(toPath(m_path), now);
    const bool ranged = m_ranged->isChecked();
    m_low->setEnabled(ranged);
    m_high->setEnabled(ranged);
    m_ranged->setEnabled(!info || info->whole);
    m_add->setEnabled(info && (!ranged || *now.low < *now.high));
    if (!info)
        m_facts->setText(toText(info.error().text()));
    else
        m_facts->setText(
            tr("%1 of %2 bits, %3 × %4 heights: %5 × %6")
                .arg(toText(info->format))
                .arg(info->bits)
                .arg(info->columns)
                .arg(info->rows)
                .arg(lengthText((info->columns - 1) * now.spacing), lengthText((info->rows - 1) * now.spacing)));
}

} // namespace thicket::app
