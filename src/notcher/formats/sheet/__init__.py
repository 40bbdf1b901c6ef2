"""The printed tab: a layout of plain shapes, and the writers that put it into PDF, SVG and PNG."""
