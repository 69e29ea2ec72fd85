import ts from 'typescript'; import fs from 'fs';
for (const f of process.argv.slice(2)) { let text=fs.readFileSync(f,'utf8'); const sf=ts.createSourceFile(f,text,ts.ScriptTarget.Latest,true); const by=new Map(); 
 for(const st of sf.statements){ if(!ts.isImportDeclaration(st)||!st.importClause?.namedBindings||!ts.isNamedImports(st.importClause.namedBindings)||st.importClause.name) continue; const k=st.moduleSpecifier.text; (by.get(k)??by.set(k,[]).get(k)).push(st);}
 const edits=[];
 for(const [k,sts] of by){ if(sts.length<2) continue; const allType=sts.every(s=>s.importClause.isTypeOnly); const els=sts.flatMap(s=>s.importClause.namedBindings.elements.map(e=>{const t=e.getText().replace(/^type /,''); return (!allType&&(s.importClause.isTypeOnly||e.isTypeOnly)?'type ':'')+t;})); const uniq=[...new Set(els)].sort((a,b)=>a.replace('type ','').localeCompare(b.replace('type ','')));
  const line=`import ${allType?'type ':''}{ ${uniq.join(', ')} } from '${k}';`; edits.push([sts[0].getStart(),sts[0].getEnd(),line]); for(const s of sts.slice(1)) edits.push([s.getStart(),s.getEnd()+1,'']); }
 if(!edits.length) continue; edits.sort((a,b)=>b[0]-a[0]); for(const [a,b,n] of edits) text=text.slice(0,a)+n+text.slice(b); fs.writeFileSync(f,text); console.log('merged',f);
}
