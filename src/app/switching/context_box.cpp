#include "app/switching/context_box.h"

#include <algorithm>

namespace thicket::app {

ContextBox::ContextBox(Workbench& bench, QWidget* parent) : QWidget(parent), m_bench(bench) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    column->addWidget(makeLabel(tr("Context"), "title"));
    const auto factor = [&](const QString& name, const QString& tip, const char* object) {
        auto* box = new NumberBox(0.1, 10, 2, {});
        box->setPrefix(QStringLiteral("× "));
        box->setSingleStep(0.1);
        box->setObjectName(QString::fromLatin1(object));
        column->addWidget(fieldRow(name, box, tip));
        return box;
    };
    m_detail = factor(tr("Detail"),
                      tr("Every switch of the scene comes in so many times as far, and so do keep and grow: 2 is finer, 0.5 lighter"), "detail");
    m_device = factor(tr("On the device"), tr("The same for the chosen device alone: its tier"), "deviceDetail");
    m_deviceName = new NameLabel;
    m_deviceName->setProperty("small", true);
    m_deviceName->setContentsMargins(84, 0, 0, 0);
    column->addWidget(m_deviceName);
    m_subject = factor(tr("Subject"), tr("The importance of this subject: its switches come in so many times as far"),
                       "subjectImportance");
    m_one = factor(tr("This copy"), tr("The importance of the copy that is outlined in the view, beside its subject's"),
                   "copyImportance");
    m_speed = new NumberBox(0, 1000, 1, tr(" m/s"));
    m_speed->setSpecialValueText(tr("no matter"));
    m_speed->setObjectName(QStringLiteral("halfSpeed"));
    column->addWidget(fieldRow(tr("Half at"), m_speed,
                               tr("When the camera moves so fast, switches come in half as far; at twice the speed a "
                                  "third. Read-outs say so")));
    m_hidden = new QCheckBox(tr("Engine culls what is hidden"));
    m_hidden->setObjectName(QStringLiteral("cullHidden"));
    m_hidden->setToolTip(
        tr("Copies that are certainly hidden behind others are not drawn, and the audit does not count "
           "them. Take it away when the engine cannot do that"));
    column->addWidget(m_hidden);
    connect(m_detail, &NumberBox::chosen, this, [this](double v) { m_bench.switching.setDetail(v); });
    connect(m_device, &NumberBox::chosen, this, [this](double v) { m_bench.switching.setDeviceDetail(v); });
    connect(m_subject, &NumberBox::chosen, this, [this](double v) {
        if (const Subject* s = m_bench.session.meshSubject()) {
            SwitchRule rule = s->rule;
            rule.importance = v;
            m_bench.switching.setRule(s->id, rule, tr("Change the importance"));
        }
    });
    connect(m_one, &NumberBox::chosen, this, [this](double v) {
        if (m_copy != 0)
            m_bench.switching.setCopyImportance(m_copy, v);
    });
    connect(m_speed, &NumberBox::chosen, this, [this](double v) { m_bench.switching.setHalfSpeed(v); });
    connect(m_hidden, &QCheckBox::toggled, this, [this](bool on) {
        if (on != m_bench.session.scene().settings.cullHidden)
            m_bench.switching.setCullHidden(on);
    });
    connect(&bench.session.document, &Document::sceneChanged, this, &ContextBox::refresh);
    connect(&bench.session, &Session::selectionChanged, this, &ContextBox::refresh);
    refresh();
}

void ContextBox::setCopy(std::uint32_t placement) {
    if (placement == m_copy)
        return;
    m_copy = placement;
    refresh();
}

void ContextBox::refresh() {
    const Scene& scene = m_bench.session.scene();
    const Subject* s = m_bench.session.meshSubject();
    const Device* device = scene.currentDevice();
    m_detail->show(scene.settings.view.detail);
    m_device->show(device != nullptr ? device->detail : 1);
    m_device->setEnabled(device != nullptr);
    m_deviceName->setText(device != nullptr ? QString::fromStdString(device->name) : tr("no device"));
    m_subject->show(s != nullptr ? s->rule.importance : 1);
    m_subject->setEnabled(s != nullptr);
    const Placement* copy = m_copy == 0 ? nullptr : findCopy(scene, m_copy);
    m_one->setEnabled(copy != nullptr);
    m_one->show(copy != nullptr ? copy->importance : 1);
    m_speed->show(scene.settings.halfSpeed);
    m_hidden->setChecked(scene.settings.cullHidden);
}

} // namespace thicket::app
