"""Controls that know no music document: sliders, keyboards, the pitch ring."""
