#include "app/thin/roles_dialog.h"

#include <QDialogButtonBox>
#include <QGridLayout>
#include <QPushButton>
#include <QSettings>

namespace thicket::app {

RolesDialog::RolesDialog(Workbench& bench, QWidget* parent)
    : QDialog(parent), m_bench(bench), m_forNew(new QCheckBox(tr("also for new projects"))) {
    setWindowTitle(tr("Roles"));
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(20, 16, 20, 16);
    column->setSpacing(12);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(18);
    grid->setVerticalSpacing(8);
    const QStringList heads{{},
                            tr("levels"),
                            tr("spread evenly"),
                            tr("or share of the last"),
                            tr("may be off"),
                            tr("cards at the end"),
                            tr("come in unseen")};
    for (int c = 0; c < heads.size(); ++c)
        grid->addWidget(makeLabel(heads[c], "small"), 0, c);
    for (const Named<Role>& role : kRoles) {
        const int r = static_cast<int>(m_rows.size()) + 1;
        const QString name = QString::fromLatin1(role.name);
        Row row{new NumberBox(1, 7, 0, {}),        new QCheckBox,
                new NumberBox(2, 90, 0, tr(" %")), new NumberBox(0.05, 64, 2, tr(" px")),
                new NumberBox(0, 4, 0, {}),        new QCheckBox};
        row.levels->setToolTip(tr("How many coarser levels; fewer when the mesh cannot get lighter, more where that "
                                  "lets them come in unseen"));
        row.spread->setToolTip(
            tr("Each level comes in so many times farther away than the one before, from where the subject is as "
               "tall as the screen to where it is 16 pixels tall"));
        row.share->setToolTip(tr("Triangles of a level against the level before it, where they are not spread evenly"));
        connect(row.spread, &QCheckBox::toggled, row.share, &QWidget::setDisabled);
        row.allow->setToolTip(tr("Pixels that a drawn surface may be off, at the stated view"));
        row.cards->setToolTip(tr("Crossed cards as one more level at the end; 0 for none"));
        row.unseen->setToolTip(
            tr("Each switch is looked at: a level that would be seen to come in is cut heavier, or comes in farther "
               "away.\nWithout it the surface alone decides, and thinning is done sooner"));
        grid->addWidget(makeLabel(name), r, 0);
        int c = 1;
        for (QWidget* box :
             std::initializer_list<QWidget*>{row.levels, row.spread, row.share, row.allow, row.cards, row.unseen}) {
            box->setAccessibleName(name + QStringLiteral(", ") + heads[c]);
            box->setFixedWidth(96);
            grid->addWidget(box, r, c++);
        }
        m_rows.push_back(row);
    }
    column->addLayout(grid);
    column->addWidget(m_forNew);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
    buttons->button(QDialogButtonBox::Ok)->setText(tr("Keep"));
    buttons->button(QDialogButtonBox::Ok)->setProperty("primary", true);
    for (const auto which : {QDialogButtonBox::Ok, QDialogButtonBox::Cancel})
        buttons->button(which)->setIcon({});
    QPushButton* usual = buttons->addButton(tr("The usual ones"), QDialogButtonBox::ResetRole);
    connect(usual, &QPushButton::clicked, this, [this] { show(RoleRules()); });
    connect(buttons, &QDialogButtonBox::accepted, this, &RolesDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &RolesDialog::reject);
    column->addWidget(buttons);
    show(bench.session.scene().settings.roles);
}

void RolesDialog::show(const RoleRules& rules) {
    for (std::size_t i = 0; i < m_rows.size(); ++i) {
        m_rows[i].levels->show(rules.of[i].levels);
        m_rows[i].spread->setChecked(rules.of[i].spread);
        m_rows[i].share->setDisabled(rules.of[i].spread);
        m_rows[i].share->show(100 * rules.of[i].share);
        m_rows[i].allow->show(rules.of[i].allowPx);
        m_rows[i].cards->show(rules.of[i].cards);
        m_rows[i].unseen->setChecked(rules.of[i].unseen);
    }
}

RoleRules RolesDialog::rules() const {
    RoleRules rules;
    for (std::size_t i = 0; i < m_rows.size(); ++i)
        rules.of[i] = {
            static_cast<int>(m_rows[i].levels->value()), m_rows[i].share->value() / 100, m_rows[i].allow->value(),
            static_cast<int>(m_rows[i].cards->value()),  m_rows[i].spread->isChecked(),  m_rows[i].unseen->isChecked()};
    return rules;
}

void RolesDialog::accept() {
    m_bench.thin.setRoleRules(rules());
    if (m_forNew->isChecked()) {
        m_bench.thin.setRolesForNew(rules());
        QSettings().setValue(QStringLiteral("roles"), QByteArray::fromStdString(encodeRoleRules(rules())));
    }
    QDialog::accept();
}

RoleRules keptRoleRules() {
    const QByteArray kept = QSettings().value(QStringLiteral("roles")).toByteArray();
    if (kept.isEmpty())
        return {};
    const auto rules = decodeRoleRules(kept.toStdString());
    return rules ? *rules : RoleRules();
}

} // namespace thicket::app
