// Where texts in German would be.
[assembly: System.Reflection.AssemblyCulture("de")]
[assembly: System.Reflection.AssemblyVersion("2.1.0.0")]
