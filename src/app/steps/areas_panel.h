// Areas: the list of them, the settings that the chosen one has moved, and its shapes.
#pragma once

#include "document/document.h"
#include "drawing/brush_tool.h"
#include "drawing/shape_tool.h"
#include "widgets/fold_group.h"
#include "widgets/panel.h"

#include <array>

class QListWidget;
class QMenu;
class QPushButton;

namespace yolk::app {

class AreaSettingsGroup;
class AreaShapeGroup;
class BrushGroup;

class AreasPanel : public Panel {
    Q_OBJECT
public:
    explicit AreasPanel(Document *document, QWidget *parent = nullptr);

    CanvasTool *tool() const; ///< of the chosen shape; null: it has none
    BrushTool *brush() const { return brush_; }
    ShapeTool *handles() const { return handles_; }
    QListWidget *list() const { return list_; }
    QPushButton *addButton(ShapeKind kind) const { return add_[size_t(kind)]; }
    QPushButton *lighten() const { return lighten_; }
    QPushButton *darken() const { return darken_; }
    ChoiceRow *look() const { return look_; }
    AreaSettingsGroup *settings() const { return settings_; }
    AreaShapeGroup *shapes() const { return shapes_; }
    BrushGroup *brushGroup() const { return brushGroup_; }

    void addArea(ShapeKind kind);
    void addLight(bool lighter); ///< paints on the area of that name, or on a new one
    void cycleLook();
    void removeChosen();
    void makeAreaMenu(QMenu &menu, int index); ///< what can be done with an area of the list

Q_SIGNALS:
    void toolChanged();

private:
    void refresh();
    void refreshList();

    Document *document_;
    Areas *areas_;
    BrushTool *brush_;
    ShapeTool *handles_;
    std::array<QPushButton *, kShapeKinds.size()> add_{};
    QPushButton *lighten_, *darken_;
    QListWidget *list_;
    QWidget *listButtons_;
    ChoiceRow *look_;
    FoldGroup *listGroup_;
    AreaSettingsGroup *settings_;
    BrushGroup *brushGroup_;
    AreaShapeGroup *shapes_;
    bool filling_ = false;
};

} // namespace yolk::app
