// The report prints itself on demand.
document.getElementById('print').addEventListener('click', () => print());
