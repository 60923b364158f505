"""Look and parts that all views are made of: colours, layouts, dialogs, panes. They know nothing of the desk."""
